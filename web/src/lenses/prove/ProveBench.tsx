import { useQuery } from "@tanstack/react-query";
import { asProblem, type Device } from "../../api/client";
import { journalQuery } from "../../api/queries";
import { useBegin } from "../../api/work";
import { WithDevice } from "../../bench/WithDevice";
import type { BenchProps } from "../lens";
import { lensOf, tells } from "../registry";
import { ask, select } from "../../lib/place";
import { plural, readBack, shown } from "../../lib/words";
import { Button } from "../../ui/Button";
import { INK, Mark } from "../../ui/Mark";
import { Empty, Heading, Tag, Trouble, Waiting, When } from "../../ui/parts";

/** Prove: read all, compare with the baseline, name each difference; the journal beside it. */
export function ProveBench({ chosen, devices }: BenchProps) {
  const begin = useBegin();
  const target = (chosen.length ? chosen : devices).filter((d) => d.taken_in && d.managed !== false);
  const one = chosen.length === 1 && chosen[0].taken_in ? chosen[0] : null;
  return (
    <>
      <Button
        look="strong"
        className="self-start"
        disabled={!target.length}
        onClick={() => begin.mutate({ kind: "verify", devices: target.map((d) => d.id) })}
      >
        Verify {plural(target.length, "device")}
      </Button>
      {one ? <One id={one.id} /> : chosen.length > 0 && <All devices={target} />}
      <Journal device={one?.id ?? ""} />
    </>
  );
}

const KIND_TONE: Record<string, "madder" | "weld"> = { drift: "madder", lost: "madder", unkept: "weld", unproven: "weld" };
const KIND_MEANS: Record<string, string> = {
  drift: "changed since it was approved",
  lost: "taken back by the last power cut, since it was not stored",
  unkept: "as approved, but would go at the next power cut",
  unproven: "cannot be read back",
};

interface Difference {
  path: string;
  baseline: unknown;
  running: unknown;
  kind: string;
  why?: string;
}

function One({ id }: { id: string }) {
  return (
    <WithDevice id={id}>
      {(whole) => {
        const proof = whole.last_proof as { result?: string; message?: string; differences?: Difference[] };
        const differences = whole.now as Difference[];
        return (
          <>
            <Heading aside={whole.proven ? <When at={whole.proven} /> : "not verified yet"}>
              {proof.result ? `Last proof: ${proof.result}` : "Proof"}
            </Heading>
            {proof.message && <p className="text-[13px] text-soft">{proof.message}</p>}
            {!whole.baseline_id && <Empty title="It has no approved record.">Back it up as baseline, under Protect.</Empty>}
            {whole.baseline_id && differences.length > 0 && (
              <>
                <table className="w-full text-[12.5px]">
                  <thead>
                    <tr className="text-left text-[12px] text-soft">
                      <th className="font-normal">Path</th>
                      <th className="font-normal">Baseline</th>
                      <th className="font-normal">Running</th>
                      <th className="font-normal">What</th>
                    </tr>
                  </thead>
                  <tbody>
                    {differences.map((d) => {
                      const setting = whole.settings.find((s) => s.path === d.path);
                      return (
                        <tr key={d.path} className="border-t border-weave">
                          <td className="py-1 pr-2">
                            {setting?.label}
                            <span className="block font-mono text-[11.5px] text-soft">{d.path}</span>
                          </td>
                          <td className="pr-2 font-mono text-[12px]">{shown(d.baseline, setting)}</td>
                          <td className="pr-2 font-mono text-[12px] font-semibold">{shown(d.running, setting)}</td>
                          <td title={KIND_MEANS[d.kind]}>
                            <Tag tone={KIND_TONE[d.kind] ?? "weld"}>{d.kind}</Tag>
                            {d.why && <span className="block text-[11.5px] text-soft">{d.why}</span>}
                          </td>
                        </tr>
                      );
                    })}
                  </tbody>
                </table>
                <Button className="mt-2 self-start" onClick={() => ask({ kind: "restore", devices: [id], backup: whole.baseline_id! })}>
                  Restore the baseline …
                </Button>
              </>
            )}
            {whole.baseline_id && whole.read && !differences.length && (
              <p className="text-[13px] text-woad">Every value that was read is as approved.</p>
            )}
          </>
        );
      }}
    </WithDevice>
  );
}

function All({ devices }: { devices: Device[] }) {
  return (
    <>
      <Heading>Against the baseline</Heading>
      {!devices.length && <Empty title="There is nothing to prove yet. Sweep, and take in what was found." />}
      <ul>
        {devices.map((device) => {
          const { shape, tone, word } = tells(device, lensOf("prove"));
          return (
            <li key={device.id}>
              <button type="button" onClick={() => select(device.id, "only")} className="flex w-full items-center gap-2 rounded-[3px] px-1 py-0.5 text-left text-[13px] hover:bg-weave/50">
                <Mark shape={shape} tone={tone} />
                <span className="flex-1 truncate">{device.name}</span>
                <span className={INK[tone]}>{word}</span>
                <span className="w-24 text-right text-[12px] text-soft">
                  <When at={device.proven} none="" />
                </span>
              </button>
            </li>
          );
        })}
      </ul>
    </>
  );
}

const SHOWN = 80;

function Journal({ device }: { device: string }) {
  const journal = useQuery(journalQuery(device));
  if (journal.error) return <Trouble problem={asProblem(journal.error)} />;
  if (!journal.data) return <Waiting>Reading the journal …</Waiting>;
  const { entries, whole } = journal.data;
  return (
    <>
      <Heading aside={whole ? "chain whole" : <span className="text-madder">the chain is broken: entries are not what was written</span>}>Journal</Heading>
      {!entries.length && <p className="text-[13px] text-soft">Nothing was written {device ? "to it " : ""}yet.</p>}
      <ol className="text-[12.5px]">
        {entries.slice(0, SHOWN).map((entry) => (
          <li key={entry.id} className="border-b border-weave/70 py-1">
            <p>
              <span className="font-medium">{entry.name}</span> {entry.action} <span className="text-soft">{entry.kind === "intent" ? "about to" : entry.outcome}</span>
              <span className="float-right text-soft">
                {entry.by}, <When at={entry.time} />
              </span>
            </p>
            {entry.changes.map((change) => (
              <p key={change.path} title={change.path} className="text-[12px] text-soft">
                {change.label || change.path}: <span className="font-mono text-[11.5px]">{shown(change.from)}</span> → <span className="font-mono text-[11.5px]">{shown(change.to)}</span>
                {(change.untold || (change.read_back ?? null) !== null) && ` · ${readBack(change)}`}
              </p>
            ))}
            {entry.message && <p className="text-soft">{entry.message}</p>}
          </li>
        ))}
      </ol>
    </>
  );
}
