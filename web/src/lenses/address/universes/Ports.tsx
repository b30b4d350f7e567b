import { useState } from "react";
import { api, asProblem, got, type Line } from "../../../api/client";
import { useChange } from "../../../api/work";
import type { Output } from "../../../lib/universes";
import { Button } from "../../../ui/Button";
import { Input, Trouble } from "../../../ui/parts";

interface Props {
  line: Line;
  outputs: Output[];
  /** Ports that nobody uses, too. */
  all: boolean;
}

/** Which port of a node sends which universe. */
export function Ports({ line, outputs, all }: Props) {
  const [idle, setIdle] = useState(all);
  const listed = idle ? outputs : outputs.filter((one) => one.used);
  const rest = outputs.length - outputs.filter((one) => one.used).length;
  return (
    <section aria-label="Ports of nodes" className="mt-3">
      <table className="w-full text-[13px]">
        <thead>
          <tr className="text-left text-[12px] text-soft">
            <th className="pr-2 font-normal">Node</th>
            <th className="pr-2 font-normal">Port</th>
            <th className="pr-2 font-normal">Sends universe</th>
            <th className="font-normal">Now</th>
          </tr>
        </thead>
        <tbody>
          {listed.map((one) => (
            <Row key={`${one.device} ${one.path} ${one.version}`} one={one} line={line} />
          ))}
        </tbody>
      </table>
      {rest > 0 && !all && (
        <Button look="bare" className="!px-0" onClick={() => setIdle(!idle)}>
          {idle ? "Only those that are used" : `And ${rest} more that nobody uses`}
        </Button>
      )}
    </section>
  );
}

function Row({ one, line }: { one: Output; line: Line }) {
  const [text, setText] = useState(one.universe === null ? "" : String(one.universe));
  const decide = useChange((universe: number) =>
    got(api.POST("/api/lines/{ident}/universes/port", { params: { path: { ident: line.id } }, body: { device: one.device, path: one.path, universe, version: one.version } })),
  );
  const good = /^\d{1,5}$/.test(text.trim()) && Number(text) < 32768;
  const put = () => good && Number(text) !== one.universe && decide.mutate(Number(text));
  const problem = decide.error ? asProblem(decide.error) : null;
  return (
    <>
      <tr className="border-t border-weave">
        <td className="max-w-40 truncate py-1 pr-2">{one.name}</td>
        <td className="pr-2 whitespace-nowrap">{one.called}</td>
        <td className="pr-2">
          <Input aria-label={`Universe of ${one.called} of ${one.name}`} aria-invalid={!good} inputMode="numeric" value={text} onChange={(event) => setText(event.target.value)} onBlur={put} onKeyDown={(event) => event.key === "Enter" && put()} className={`w-20 !py-0 font-mono !text-[12.5px] ${good || !text ? "" : "!border-madder"}`} />
        </td>
        <td className={`font-mono text-[12.5px] ${one.now === one.universe ? "text-soft" : "text-weld"}`}>{one.now ?? "–"}</td>
      </tr>
      {problem && (
        <tr>
          <td colSpan={4} className="pb-1.5">
            <Trouble problem={problem} />
          </td>
        </tr>
      )}
    </>
  );
}
