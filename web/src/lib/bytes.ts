/** Bytes of a base64 text. */
export function bytesOf(base64: string): Uint8Array {
  return Uint8Array.from(atob(base64), (c) => c.charCodeAt(0));
}

export function base64Of(bytes: Uint8Array): string {
  let text = "";
  for (const byte of bytes) text += String.fromCharCode(byte);
  return btoa(text);
}

/** Text for reading: escape sequences gone, other control characters shown as what they are. */
export function printable(base64: string): string {
  const text = new TextDecoder("utf-8", { fatal: false }).decode(bytesOf(base64));
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
