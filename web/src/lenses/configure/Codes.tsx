import { Printer } from "lucide-react";
import { useState } from "react";
import { api, asProblem, type Device, got, type Problem, type Schemas } from "../../api/client";
import { useChange } from "../../api/work";
import { ask, place } from "../../lib/place";
import { useStore } from "../../lib/store";
import { plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Over } from "../../ui/Over";
import { Input, Labelled, Trouble } from "../../ui/parts";

/** New codes for the selected devices: decided, shown this once, then written by a plan that signs in with each. */
export function Codes({ devices, close }: { devices: Device[]; close: () => void }) {
  const selected = useStore(place, (p) => p.selected);
  const [those] = useState(() => devices.filter((d) => selected.has(d.id) && d.taken_in && d.code));
  const [pattern, setPattern] = useState("");
  const [made, setMade] = useState<Schemas["Code"][]>();
  const [problem, setProblem] = useState<Problem>();
  const give = useChange(async () => {
    setProblem(undefined);
    try {
      setMade((await got(api.POST("/api/codes", { body: { devices: those.map((d) => d.id), pattern } }))).codes);
    } catch (error) {
      setProblem(asProblem(error));
    }
  });
  const several = made?.some((one) => one.level);
  const left = selected.size - those.length;
  return (
    <Over title="New codes" note="They are kept encrypted. This list is shown once: print it, and keep it sealed." held={!!made} wide={!!made} close={close}>
      <div className="flex min-h-0 flex-col gap-3 overflow-auto px-4 py-3 text-[13px]">
        {left > 0 && <p className="text-soft">{plural(left, "selected device")} {left === 1 ? "has" : "have"} no code that can be set from here, and {left === 1 ? "is" : "are"} left out.</p>}
        {!made ? (
          <form
            className="flex flex-col gap-3"
            onSubmit={(event) => {
              event.preventDefault();
              give.mutate(undefined);
            }}
          >
            <Labelled label="Pattern; empty for random codes">
              <Input value={pattern} maxLength={80} onChange={(event) => setPattern(event.target.value)} placeholder="Skerry-{nn}-{random:4}" className="w-72 font-mono !text-[12.5px]" />
            </Labelled>
            <p className="text-[12px] text-soft">
              {"{n}, {nn}, {serial}, {name}, {area}, {level} and {random:4} are filled in. A device with several codes gets one for each. A key of a secure channel is made at random whatever stands here."}
            </p>
            {problem && <Trouble problem={problem} />}
            <div className="flex gap-2">
              <Button look="strong" type="submit" disabled={!those.length || give.isPending}>
                Decide new codes for {plural(those.length, "device")}
              </Button>
              <Button onClick={close}>Leave it</Button>
            </div>
          </form>
        ) : (
          <>
            <table className="sealed w-full">
              <caption className="hidden pb-2 text-left print:table-caption">Codes, {new Date().toLocaleDateString()}: keep sealed</caption>
              <thead>
                <tr className="text-left text-[12px] text-soft">
                  <th className="pr-3 font-normal">Device</th>
                  <th className="pr-3 font-normal">Serial number</th>
                  {several && <th className="pr-3 font-normal">Level</th>}
                  <th className="pr-3 font-normal">User</th>
                  <th className="font-normal">Code</th>
                </tr>
              </thead>
              <tbody>
                {made.map((one) => (
                  <tr key={`${one.device} ${one.level}`} className="border-t border-weave">
                    <td className="py-1 pr-3">{one.name}</td>
                    <td className="pr-3 font-mono text-[12.5px]">{one.serial || "–"}</td>
                    {several && <td className="pr-3">{one.level || "–"}</td>}
                    <td className="pr-3 font-mono text-[12.5px]">{one.user || "–"}</td>
                    <td className="font-mono text-[12.5px] select-all">{one.code}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            <div className="flex flex-wrap gap-2">
              <Button
                look="strong"
                onClick={() => {
                  close();
                  ask({ kind: "apply", devices: [...new Set(made.map((one) => one.device))] });
                }}
              >
                Show what would be written to {plural(new Set(made.map((one) => one.device)).size, "device")}
              </Button>
              <Button onClick={() => window.print()}>
                <Printer size={14} /> Print
              </Button>
              <Button onClick={close}>Write them later</Button>
            </div>
          </>
        )}
      </div>
    </Over>
  );
}
