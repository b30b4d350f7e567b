import { useState } from "react";
import { api, asProblem, type Device, got, type Line, type Problem, type Schemas } from "../../api/client";
import { useChange } from "../../api/work";
import { type Rules, whose } from "../../lib/places";
import { Button } from "../../ui/Button";
import { Choice, Heading, Input, Labelled, Trouble } from "../../ui/parts";
import { filled, KeptSpans, Spans, spoken, tidyKept, useKinds, whole } from "./KeptSpans";

interface Props {
  line: Line;
  areas: Schemas["Area"][];
  devices: Device[];
}

const SPEEDS = [1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200];

/** Which places of the line are whose. Shown in short; changed as a whole, on the rules that one saw. */
export function LineRules({ line, areas, devices }: Props) {
  const [draft, setDraft] = useState<Rules>();
  const [problem, setProblem] = useState<Problem>();
  const save = useChange(
    async (rules: Rules) => {
      try {
        await got(api.PUT("/api/lines/{ident}/rules", { params: { path: { ident: line.id } }, body: { rules: tidy(rules), seen: line.rules } }));
        setDraft(undefined);
        setProblem(undefined);
      } catch (error) {
        setProblem(asProblem(error));
      }
    },
  );
  const names = new Map(areas.map((area) => [String(area.id), area.name]));
  return (
    <section className="mt-4" aria-label={`Rules of ${line.name}`}>
      <Heading aside={draft ? undefined : <Button look="bare" onClick={() => setDraft(structuredClone(line.rules))}>Change the rules</Button>}>Rules</Heading>
      {draft ? (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            save.mutate(draft);
          }}
        >
          <Editor rules={draft} set={setDraft} line={line} areas={areas} devices={devices} />
          {problem && <Trouble problem={problem} />}
          <div className="mt-2 flex gap-2">
            <Button look="strong" type="submit" disabled={save.isPending}>
              Keep these rules
            </Button>
            <Button onClick={() => (setDraft(undefined), setProblem(undefined))}>Leave them</Button>
          </div>
          <p className="mt-1 text-[12px] text-soft">Rules tell no device anything. Who is to move by them is shown before it is decided.</p>
        </form>
      ) : (
        <InShort rules={line.rules} names={names} />
      )}
    </section>
  );
}

function InShort({ rules, names }: { rules: Rules; names: Map<string, string> }) {
  const rows = [
    ...(rules.ranges ?? []).map((one) => [spoken(one), whose(one, names)]),
    ...(rules.reserved ?? []).map((one) => [spoken(one), `reserved${one.why ? `: ${one.why}` : ""}`]),
    ...(rules.pool ? [[spoken(rules.pool), "dynamic pool"]] : []),
    ...(rules.mask ? [[rules.mask, "network mask of all"]] : []),
    ...(rules.gateway ? [[rules.gateway, "gateway of all"]] : []),
    ...(rules.names ? [[rules.names, "host names"]] : []),
    ...(rules.speed ? [[`${rules.speed} baud${rules.parity ? `, parity ${rules.parity}` : ""}`, "speed of all"]] : []),
  ];
  if (!rows.length) return <p className="text-[13px] text-soft">Nobody decided any: every free place is good for everybody. Rules keep places for kinds of devices, for areas, or free.</p>;
  return (
    <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-0.5 text-[13px]">
      {rows.map(([what, is]) => (
        <div key={`${what} ${is}`} className="contents">
          <dt className="font-mono text-[12.5px]">{what}</dt>
          <dd>{is}</dd>
        </div>
      ))}
    </dl>
  );
}

/** What was left empty is not decided. */
function tidy(rules: Rules): Rules {
  return { ...rules, ...tidyKept(rules), pool: rules.pool && filled(rules.pool) ? whole(rules.pool) : null };
}

interface EditorProps extends Props {
  rules: Rules;
  set: (rules: Rules) => void;
}

function Editor({ rules, set, line, areas, devices }: EditorProps) {
  const kinds = useKinds(line, devices);
  const ip = line.kind === "ip";
  return (
    <div className="flex flex-col gap-2 text-[13px]">
      <KeptSpans kept={rules} set={(kept) => set({ ...rules, ...kept })} kinds={kinds} areas={areas} />
      {rules.pool && <Spans label="Dynamic pool" span={rules.pool} set={(pool) => set({ ...rules, pool })} drop={() => set({ ...rules, pool: null })} />}
      <div className="flex flex-wrap gap-2">
        {ip && !rules.pool && <Button onClick={() => set({ ...rules, pool: { first: "", last: "" } })}>A dynamic pool</Button>}
      </div>
      <div className="flex flex-wrap gap-2">
        {ip && (
          <>
            <Field label="Network mask of all" value={rules.mask ?? ""} set={(mask) => set({ ...rules, mask })} />
            <Field label="Gateway of all" value={rules.gateway ?? ""} set={(gateway) => set({ ...rules, gateway })} />
            <Field label="Host names" value={rules.names ?? ""} set={(names) => set({ ...rules, names })} hint="{area}-{kind}-{n:02}" />
          </>
        )}
        {line.kind === "serial" && (
          <Labelled label="Speed of all">
            <Choice value={rules.speed ?? 0} onChange={(event) => set({ ...rules, speed: Number(event.target.value) })}>
              <option value={0}>not decided</option>
              {SPEEDS.map((speed) => (
                <option key={speed} value={speed}>
                  {speed} baud
                </option>
              ))}
            </Choice>
          </Labelled>
        )}
        {line.kind === "serial" && (
          <Labelled label="Parity of all">
            <Choice value={rules.parity ?? ""} onChange={(event) => set({ ...rules, parity: event.target.value as Rules["parity"] })}>
              <option value="">not decided</option>
              <option value="N">none</option>
              <option value="E">even</option>
              <option value="O">odd</option>
            </Choice>
          </Labelled>
        )}
      </div>
    </div>
  );
}

function Field({ label, value, set, hint }: { label: string; value: string; set: (value: string) => void; hint?: string }) {
  return (
    <Labelled label={label}>
      <Input value={value} placeholder={hint} onChange={(event) => set(event.target.value)} className="w-40 font-mono !text-[12.5px]" />
    </Labelled>
  );
}
