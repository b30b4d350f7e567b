import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, asProblem, type Device, got, type Line, type Problem, type Schemas } from "../../api/client";
import { profilesQuery } from "../../api/queries";
import { useChange } from "../../api/work";
import { type Rules, whose } from "../../lib/places";
import { Button } from "../../ui/Button";
import { Choice, Heading, Input, Labelled, Trouble } from "../../ui/parts";

interface Props {
  line: Line;
  areas: Schemas["Area"][];
  devices: Device[];
}

const SPEEDS = [1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200];
type Span = { first: string; last: string };

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

const spoken = (span: Span) => (span.first === span.last ? span.first : `${span.first} to ${span.last}`);

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
  const filled = (span: Span) => span.first.trim() || span.last.trim();
  const whole = <T extends Span>(span: T): T => ({ ...span, first: span.first.trim() || span.last.trim(), last: span.last.trim() || span.first.trim() });
  return {
    ...rules,
    ranges: (rules.ranges ?? []).filter(filled).map(whole),
    reserved: (rules.reserved ?? []).filter(filled).map(whole),
    pool: rules.pool && filled(rules.pool) ? whole(rules.pool) : null,
  };
}

interface EditorProps extends Props {
  rules: Rules;
  set: (rules: Rules) => void;
}

function Editor({ rules, set, line, areas, devices }: EditorProps) {
  const profiles = useQuery(profilesQuery);
  const ids = new Set(devices.filter((d) => d.addresses.some((p) => p.line_id === line.id)).map((d) => d.profile));
  const all = profiles.data ?? [];
  const here = new Set(all.filter((one) => ids.has(one.id)).map((one) => one.kind));
  const kinds = [...here, ...new Set(all.map((one) => one.kind).filter((kind) => !here.has(kind)))];
  const ranges = rules.ranges ?? [];
  const reserved = rules.reserved ?? [];
  const ip = line.kind === "ip";
  return (
    <div className="flex flex-col gap-2 text-[13px]">
      {ranges.map((one, at) => (
        <Spans key={at} label={`Range ${at + 1}`} span={one} set={(span) => set({ ...rules, ranges: put(ranges, at, { ...one, ...span }) })} drop={() => set({ ...rules, ranges: ranges.filter((_, n) => n !== at) })}>
          <Choice aria-label={`Kind of range ${at + 1}`} value={one.kind ?? ""} onChange={(event) => set({ ...rules, ranges: put(ranges, at, { ...one, kind: event.target.value }) })} className="w-32">
            <option value="">any device</option>
            {(one.kind && !kinds.includes(one.kind) ? [one.kind, ...kinds] : kinds).map((kind) => (
              <option key={kind}>{kind}</option>
            ))}
          </Choice>
          <Choice aria-label={`Area of range ${at + 1}`} value={one.area ?? ""} onChange={(event) => set({ ...rules, ranges: put(ranges, at, { ...one, area: event.target.value }) })} className="w-24">
            <option value="">any area</option>
            {areas.filter((area) => !area.archived || String(area.id) === one.area).map((area) => (
              <option key={area.id} value={String(area.id)}>
                {area.name}
              </option>
            ))}
          </Choice>
        </Spans>
      ))}
      {reserved.map((one, at) => (
        <Spans key={at} label={`Reserved ${at + 1}`} span={one} set={(span) => set({ ...rules, reserved: put(reserved, at, { ...one, ...span }) })} drop={() => set({ ...rules, reserved: reserved.filter((_, n) => n !== at) })}>
          <Input aria-label={`Why reserved ${at + 1}`} placeholder="why" maxLength={120} value={one.why ?? ""} onChange={(event) => set({ ...rules, reserved: put(reserved, at, { ...one, why: event.target.value }) })} className="w-36" />
        </Spans>
      ))}
      {rules.pool && <Spans label="Dynamic pool" span={rules.pool} set={(pool) => set({ ...rules, pool })} drop={() => set({ ...rules, pool: null })} />}
      <div className="flex flex-wrap gap-2">
        <Button onClick={() => set({ ...rules, ranges: [...ranges, { first: "", last: "", kind: "", area: "" }] })}>Another range</Button>
        <Button onClick={() => set({ ...rules, reserved: [...reserved, { first: "", last: "", why: "" }] })}>Reserve places</Button>
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

const put = <T,>(list: T[], at: number, one: T): T[] => list.map((old, n) => (n === at ? one : old));

function Field({ label, value, set, hint }: { label: string; value: string; set: (value: string) => void; hint?: string }) {
  return (
    <Labelled label={label}>
      <Input value={value} placeholder={hint} onChange={(event) => set(event.target.value)} className="w-40 font-mono !text-[12.5px]" />
    </Labelled>
  );
}

interface SpansProps {
  label: string;
  span: Span;
  set: (span: Span) => void;
  drop: () => void;
  children?: React.ReactNode;
}

function Spans({ label, span, set, drop, children }: SpansProps) {
  return (
    <div role="group" aria-label={label} className="flex flex-wrap items-center gap-1.5">
      <Input aria-label={`First of ${label}`} value={span.first} onChange={(event) => set({ ...span, first: event.target.value })} className="w-28 font-mono !text-[12.5px]" />
      to
      <Input aria-label={`Last of ${label}`} value={span.last} onChange={(event) => set({ ...span, last: event.target.value })} className="w-28 font-mono !text-[12.5px]" />
      {children}
      <Button look="bare" aria-label={`Drop ${label}`} className="!px-1" onClick={drop}>
        ×
      </Button>
    </div>
  );
}
