import { useQuery } from "@tanstack/react-query";
import clsx from "clsx";
import { useRef, useState } from "react";
import { api, asProblem, got, type Line, type Schemas } from "../../api/client";
import { bytesOf, hexLines, printables } from "../../lib/bytes";
import { Button } from "../../ui/Button";
import { Choice, Heading, Trouble } from "../../ui/parts";

type Piece = Schemas["Piece"];
type Look = "text" | "hex";

const AGAIN_MS = 300;
const KEPT = 400;

/** What passes on a serial line, both ways. Nothing is sent for it; whoever wants the line gets it at once. */
export function Traffic({ line }: { line: Line }) {
  const [open, setOpen] = useState(false);
  return (
    <section aria-label="Traffic" className="mt-4">
      <Heading
        aside={
          <Button look="bare" onClick={() => setOpen(!open)}>
            {open ? "Close" : "Show what passes"}
          </Button>
        }
      >
        Traffic
      </Heading>
      {open && <Passing line={line} />}
    </section>
  );
}

function Passing({ line }: { line: Line }) {
  const [look, setLook] = useState<Look>(line.protocol === "dialogue" ? "text" : "hex");
  const [still, setStill] = useState(false);
  const pieces = useRef<Piece[]>([]);
  const { data, error, refetch } = useQuery({
    queryKey: ["traffic", line.id],
    queryFn: async () => {
      const since = pieces.current.at(-1)?.number ?? 0;
      const told = await got(api.POST("/api/lines/{ident}/traffic", { params: { path: { ident: line.id } }, body: { since } }));
      const anew = told.pieces.length > 0 && told.pieces[0].number <= since; // the line was set up anew: it counts from one again
      pieces.current = [...(anew ? [] : pieces.current), ...told.pieces].slice(-KEPT);
      return { ...told, shown: pieces.current };
    },
    refetchInterval: AGAIN_MS,
    enabled: !still,
    gcTime: 0,
  });
  const shown = data?.shown ?? [];
  const texts = look === "hex" ? shown.map((piece) => hexLines(bytesOf(piece.data)).join("\n")) : printables(shown, (piece) => piece.out).map((text) => text.replace(/\n/g, "↵"));
  const errors = Object.entries(data?.errors ?? {});
  return (
    <>
      <div className="mb-1 flex flex-wrap items-center gap-2">
        <Choice aria-label="Traffic as" value={look} onChange={(event) => setLook(event.target.value as Look)}>
          <option value="text">As text</option>
          <option value="hex">As hexadecimal</option>
        </Choice>
        <Button onClick={() => setStill(!still)}>{still ? "Go on" : "Hold still"}</Button>
        <span className="text-[12px] text-soft">
          {errors.length ? errors.map(([kind, count]) => `${kind} errors ${count}`).join(", ") : "This port counts no errors."}
        </span>
      </div>
      {error && <Trouble problem={asProblem(error)} again={() => void refetch()} />}
      {data?.trouble && <Trouble problem={{ message: data.trouble, hint: "It is tried again every two seconds." }} />}
      {data && !data.shown.length && <p className="text-[12.5px] text-soft">Nothing has passed yet. What comes in is shown, and what Netloom sends.</p>}
      <ol className="flex max-h-80 flex-col-reverse overflow-auto border border-weave bg-ground font-mono text-[12px]" aria-label="What passed, the newest first" tabIndex={0}>
        {shown.map((piece, at) => <Row key={piece.number} piece={piece} text={texts[at]} />).reverse()}
      </ol>
      <p className="mt-1 text-[12px] text-soft">Passwords are not shown, and what is typed on a console is in its own log. The newest 128 kB are kept, in memory only.</p>
    </>
  );
}

function Row({ piece, text }: { piece: Piece; text: string }) {
  return (
    <li className="flex gap-2 px-1.5 py-px">
      <time className="shrink-0 text-soft">{clock(piece.time)}</time>
      <span className={clsx("w-16 shrink-0", piece.out ? "text-indigo" : "text-ink")} title={piece.out ? piece.who : undefined}>
        {piece.out ? "sent" : "came"}
      </span>
      <span className="min-w-0 break-all whitespace-pre-wrap">{text}</span>
    </li>
  );
}

function clock(seconds: number): string {
  const at = new Date(seconds * 1000);
  return `${at.toLocaleTimeString("en-GB")}.${String(at.getMilliseconds()).padStart(3, "0")}`;
}
