import { FitAddon } from "@xterm/addon-fit";
import { Terminal as Xterm } from "@xterm/xterm";
import "@xterm/xterm/css/xterm.css";
import { useEffect, useRef, useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { tellProblem } from "../api/work";
import { base64Of, bytesOf, hexLines } from "../lib/bytes";
import { Button } from "../ui/Button";

interface Props {
  session: Schemas["Console"];
  phrases: Schemas["Phrase"][];
  close: () => void;
}

const KEPT = 64_000;
const SEND_MS = 15;

const FOCUS_MS = 60;

/** The terminal of one open console, with hex view, time stamps, phrases and break. */
export function Terminal({ session, phrases, close }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const term = useRef<Xterm>(null);
  const bytes = useRef(new Uint8Array());
  const [hex, setHex] = useState<string[]>();
  const [stamps, setStamps] = useState(false);
  const stamped = useRef({ on: false, fresh: true, decoder: new TextDecoder() });
  const [ended, setEnded] = useState("");
  const typing = useTyping(session.id);

  useEffect(() => {
    const style = getComputedStyle(document.documentElement);
    const colour = (name: string) => style.getPropertyValue(`--${name}`).trim();
    const made = new Xterm({
      cols: 100,
      rows: 24,
      scrollback: 5000,
      fontSize: 13,
      cursorBlink: !matchMedia("(prefers-reduced-motion: reduce)").matches,
      screenReaderMode: true,
      theme: { background: colour("ground"), foreground: colour("ink"), cursor: colour("indigo"), selectionBackground: colour("indigo-wash") },
    });
    const fit = new FitAddon();
    made.loadAddon(fit);
    made.onData((data) => typing(new TextEncoder().encode(data.replace(/\r/g, session.line_end))));
    term.current = made;
    let gone = false;
    // A canvas takes the face only once it is loaded.
    void document.fonts.load('13px "Atkinson Hyperlegible Mono Variable"').finally(() => {
      if (gone || !box.current) return;
      made.options.fontFamily = '"Atkinson Hyperlegible Mono Variable", monospace';
      made.open(box.current);
      fit.fit();
      // The dialog takes the focus to itself when the button that opened this goes; whoever opened it wants to type.
      window.setTimeout(() => gone || made.focus(), FOCUS_MS);
    });
    const source = new EventSource(`/api/consoles/${session.id}/stream`);
    source.addEventListener("message", (event) => {
      const data = bytesOf((event as MessageEvent<string>).data);
      bytes.current = joined(bytes.current, data);
      made.write(stamped.current.on ? withStamps(data, stamped.current) : data);
      setHex((now) => now && hexLines(bytes.current));
    });
    source.addEventListener("ended", (event) => {
      setEnded(JSON.parse((event as MessageEvent<string>).data));
      source.close();
    });
    return () => {
      gone = true;
      source.close();
      made.dispose();
    };
  }, [session.id, session.line_end, typing]);

  return (
    <div className="flex min-h-0 flex-col gap-2 px-4 py-3">
      <div className="flex flex-wrap items-center gap-2 text-[12.5px]">
        {phrases.map((one) => (
          <Button key={one.label} title={one.send} onClick={() => {
              typing(new TextEncoder().encode(one.send === "+++" ? one.send : `${one.send}${session.line_end}`));
              term.current?.focus();
            }}>
            {one.label}
          </Button>
        ))}
        {session.wakes && (
          <Button
            title="What the device listens to before anything else"
            onClick={() => {
              typing(new TextEncoder().encode(session.wakes));
              term.current?.focus();
            }}
          >
            Wake it
          </Button>
        )}
        <span className="flex-1" />
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            checked={stamps}
            onChange={(event) => {
              setStamps(event.target.checked);
              stamped.current.on = event.target.checked;
            }}
          />
          time stamps
        </label>
        <label className="flex items-center gap-1">
          <input type="checkbox" checked={!!hex} onChange={(event) => setHex(event.target.checked ? hexLines(bytes.current) : undefined)} />
          hex
        </label>
        <Button onClick={() => void got(api.POST("/api/consoles/{ident}/break", { params: { path: { ident: session.id } } })).catch(tellProblem)}>Send break</Button>
        <Button look="strong" onClick={close}>
          Close
        </Button>
      </div>
      {ended && (
        <p role="status" className="rounded-[3px] bg-weld-wash px-3 py-1.5 text-[13px] text-weld">
          It has ended: {ended}. The log is kept; close this and open it again to go on.
        </p>
      )}
      <div ref={box} aria-label="Terminal" className={hex ? "hidden" : "h-[52vh] overflow-hidden rounded-[3px] border border-warp bg-ground p-1"} />
      {hex && (
        <pre aria-label="Hex view" tabIndex={0} className="h-[52vh] overflow-auto rounded-[3px] border border-warp bg-ground p-2 font-mono text-[12px]">
          {hex.slice(-1500).join("\n") || "No byte came yet."}
        </pre>
      )}
    </div>
  );
}

/** Keys are sent in order, those of a few milliseconds together. */
function useTyping(id: string): (data: Uint8Array) => void {
  const state = useRef({ waiting: new Uint8Array(), timer: 0, queue: Promise.resolve() });
  return useRef((data: Uint8Array) => {
    const now = state.current;
    now.waiting = joined(now.waiting, data);
    now.timer ||= window.setTimeout(() => {
      const typed = base64Of(now.waiting);
      now.waiting = new Uint8Array();
      now.timer = 0;
      // What was typed before and did not go keeps nothing back that is typed later.
      now.queue = now.queue.then(() => got(api.POST("/api/consoles/{ident}", { params: { path: { ident: id } }, body: { data: typed } }))).then(() => undefined, tellProblem);
    }, SEND_MS);
  }).current;
}

function joined(before: Uint8Array, more: Uint8Array): Uint8Array<ArrayBuffer> {
  const both = new Uint8Array(before.length + more.length);
  both.set(before);
  both.set(more, before.length);
  return both.slice(-KEPT);
}

/** The time before each line that begins. */
function withStamps(data: Uint8Array, state: { fresh: boolean; decoder: TextDecoder }): string {
  let text = "";
  for (const char of state.decoder.decode(data, { stream: true })) {
    if (state.fresh && char !== "\r" && char !== "\n") {
      text += `\x1b[2m${new Date().toISOString().slice(11, 23)}\x1b[0m `;
      state.fresh = false;
    }
    if (char === "\n") state.fresh = true;
    text += char;
  }
  return text;
}
