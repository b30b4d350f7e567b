import { useQuery } from "@tanstack/react-query";
import type { Device, Line, Schemas } from "../../api/client";
import { profilesQuery } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Choice, Input } from "../../ui/parts";

export type Span = { first: string; last: string };
export type Kept = Pick<Schemas["Rules"], "ranges" | "reserved">;

export const spoken = (span: Span): string => (span.first === span.last ? span.first : `${span.first} to ${span.last}`);
export const filled = (span: Span): boolean => !!(span.first.trim() || span.last.trim());
export const whole = <T extends Span>(span: T): T => ({ ...span, first: span.first.trim() || span.last.trim(), last: span.last.trim() || span.first.trim() });

/** What was left empty is not decided. */
export const tidyKept = (kept: Kept): Kept => ({ ranges: (kept.ranges ?? []).filter(filled).map(whole), reserved: (kept.reserved ?? []).filter(filled).map(whole) });

const put = <T,>(list: T[], at: number, one: T): T[] => list.map((old, n) => (n === at ? one : old));

/** Kinds of devices, those on the line first. */
export function useKinds(line: Line, devices: Device[]): string[] {
  const profiles = useQuery(profilesQuery);
  const ids = new Set(devices.filter((d) => d.addresses.some((p) => p.line_id === line.id)).map((d) => d.profile));
  const all = profiles.data ?? [];
  const here = new Set(all.filter((one) => ids.has(one.id)).map((one) => one.kind));
  return [...here, ...new Set(all.map((one) => one.kind).filter((kind) => !here.has(kind)))];
}

interface Props {
  kept: Kept;
  set: (kept: Kept) => void;
  kinds: string[];
  areas: Schemas["Area"][];
}

/** Ranges and reserved spans, to change. */
export function KeptSpans({ kept, set, kinds, areas }: Props) {
  const ranges = kept.ranges ?? [];
  const reserved = kept.reserved ?? [];
  return (
    <>
      {ranges.map((one, at) => (
        <Spans key={at} label={`Range ${at + 1}`} span={one} set={(span) => set({ reserved, ranges: put(ranges, at, { ...one, ...span }) })} drop={() => set({ reserved, ranges: ranges.filter((_, n) => n !== at) })}>
          <Choice aria-label={`Kind of range ${at + 1}`} value={one.kind ?? ""} onChange={(event) => set({ reserved, ranges: put(ranges, at, { ...one, kind: event.target.value }) })} className="w-32">
            <option value="">any device</option>
            {(one.kind && !kinds.includes(one.kind) ? [one.kind, ...kinds] : kinds).map((kind) => (
              <option key={kind}>{kind}</option>
            ))}
          </Choice>
          <Choice aria-label={`Area of range ${at + 1}`} value={one.area ?? ""} onChange={(event) => set({ reserved, ranges: put(ranges, at, { ...one, area: event.target.value }) })} className="w-24">
            <option value="">any area</option>
            {areas
              .filter((area) => !area.archived || String(area.id) === one.area)
              .map((area) => (
                <option key={area.id} value={String(area.id)}>
                  {area.name}
                </option>
              ))}
          </Choice>
        </Spans>
      ))}
      {reserved.map((one, at) => (
        <Spans key={at} label={`Reserved ${at + 1}`} span={one} set={(span) => set({ ranges, reserved: put(reserved, at, { ...one, ...span }) })} drop={() => set({ ranges, reserved: reserved.filter((_, n) => n !== at) })}>
          <Input aria-label={`Why reserved ${at + 1}`} placeholder="why" maxLength={120} value={one.why ?? ""} onChange={(event) => set({ ranges, reserved: put(reserved, at, { ...one, why: event.target.value }) })} className="w-36" />
        </Spans>
      ))}
      <div className="flex flex-wrap gap-2">
        <Button onClick={() => set({ reserved, ranges: [...ranges, { first: "", last: "", kind: "", area: "" }] })}>Another range</Button>
        <Button onClick={() => set({ ranges, reserved: [...reserved, { first: "", last: "", why: "" }] })}>Reserve places</Button>
      </div>
    </>
  );
}

interface SpansProps {
  label: string;
  span: Span;
  set: (span: Span) => void;
  drop: () => void;
  children?: React.ReactNode;
}

export function Spans({ label, span, set, drop, children }: SpansProps) {
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
