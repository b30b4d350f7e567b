/** Bytes of a base64 text. */
export function bytesOf(base64: string): Uint8Array {
  return Uint8Array.from(atob(base64), (c) => c.charCodeAt(0));
}

export function base64Of(bytes: Uint8Array): string {
  let text = "";
  for (const byte of bytes) text += String.fromCharCode(byte);
  return btoa(text);
}

const HALF = /\x1b(\[[0-9;?]*)?$/;

/**
 * Texts for reading, of pieces of one or more streams: escape sequences gone, other control characters shown as what
 * they are. A letter or a sequence that came in two pieces stands in the second.
 */
export function printables<Piece extends { data: string }>(pieces: readonly Piece[], streamOf: (piece: Piece) => unknown): string[] {
  const streams = new Map<unknown, { decoder: TextDecoder; half: string; last: number }>();
  const texts = pieces.map((piece, at) => {
    const stream = streams.get(streamOf(piece)) ?? { decoder: new TextDecoder(), half: "", last: at };
    streams.set(streamOf(piece), stream);
    const came = stream.half + stream.decoder.decode(bytesOf(piece.data), { stream: true });
    stream.half = HALF.exec(came)?.[0] ?? "";
    stream.last = at;
    return came.slice(0, came.length - stream.half.length);
  });
  for (const { decoder, half, last } of streams.values()) texts[last] += half + decoder.decode();
  return texts.map(readable);
}

function readable(text: string): string {
  return text
    .replace(/\x1b\[[0-9;?]*[A-Za-z]/g, "")
    .replace(/\r\n?/g, "\n")
    .replace(/[\x00-\x08\x0b-\x1f\x7f]/g, (c) => `<${c.charCodeAt(0).toString(16).padStart(2, "0")}>`);
}

/** Lines of a hex view: offset, sixteen bytes, and the same as characters. */
export function hexLines(bytes: Uint8Array, from = 0): string[] {
  const lines: string[] = [];
  for (let at = 0; at < bytes.length; at += 16) {
    const part = [...bytes.subarray(at, at + 16)];
    const hex = part.map((b) => b.toString(16).padStart(2, "0")).join(" ");
    const text = part.map((b) => (b >= 32 && b < 127 ? String.fromCharCode(b) : ".")).join("");
    lines.push(`${(from + at).toString(16).padStart(6, "0")}  ${hex.padEnd(47)}  ${text}`);
  }
  return lines;
}
