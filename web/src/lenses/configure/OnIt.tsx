import clsx from "clsx";
import type { Setting } from "../../api/client";
import { scaled } from "../../lib/scales";
import { same, shown } from "../../lib/words";
import { Tag } from "../../ui/parts";
import { VARIOUS } from "./editors/editor";

/** The one value that all have in common, or VARIOUS. */
export function common(all: Setting[], name: "intended" | "running" | "startup" | "baseline"): unknown {
  const first = all[0][name];
  return all.every((s) => same(s[name], first)) ? first : VARIOUS;
}

/** An address may break after a point, if it must. */
function breakable(text: string): string {
  return text.length > 9 ? text.replaceAll(".", ".\u200b") : text;
}

function title(value: unknown, setting: Setting): string {
  const also = typeof value === "number" ? scaled(value, setting.shown) : "";
  return `${Array.isArray(value) ? JSON.stringify(value) : (value ?? "")} ${also}`.trim();
}

export interface Differing {
  pending: number;
  unkept: number;
  drift: number;
  unreadable: Setting[];
}

export function differing(all: Setting[]): Differing {
  return {
    pending: all.filter((s) => s.intended !== null && s.running !== null && !same(s.intended, s.running)).length,
    drift: all.filter((s) => s.baseline !== null && s.running !== null && !same(s.baseline, s.running)).length,
    unkept: all.filter((s) => s.unkept).length,
    unreadable: all.filter((s) => s.unreadable),
  };
}

/** What the device has: one value where its sets agree, the differing ones by name where they do not. */
export function OnIt({ setting, all }: { setting: Setting; all: Setting[] }) {
  const running = common(all, "running");
  const { unkept, drift } = differing(all);
  return (
    <>
      <Value value={running} setting={setting} />
      {unkept > 0 && <Named word="starts with" value={common(all, "startup")} setting={setting} tone="text-weld" />}
      {drift > 0 && <Named word="approved" value={common(all, "baseline")} setting={setting} tone="text-madder" />}
    </>
  );
}

function Value({ value, setting, className }: { value: unknown; setting: Setting; className?: string }) {
  return (
    <span className={clsx("font-mono text-[12px] leading-tight break-words", className)} title={value === VARIOUS ? "various" : title(value, setting)}>
      {value === VARIOUS ? "various" : breakable(shown(value, setting))}
    </span>
  );
}

function Named({ word, value, setting, tone }: { word: string; value: unknown; setting: Setting; tone: string }) {
  return (
    <span className={clsx("block text-[11.5px] leading-tight", tone)}>
      {word} <Value value={value} setting={setting} className="font-semibold" />
    </span>
  );
}

/** Words for what is out of the ordinary, with how many where there are several devices. */
export function Tags({ all }: { all: Setting[] }) {
  const { pending, unkept, drift, unreadable } = differing(all);
  const many = all.length > 1;
  const said = (count: number, word: string) => (many ? `${count} ${word}` : word);
  return (
    <>
      {pending > 0 && <Tag tone="indigo">{said(pending, "pending")}</Tag>}
      {unkept > 0 && <Tag tone="weld">{said(unkept, "unkept")}</Tag>}
      {drift > 0 && <Tag tone="madder">{said(drift, "drift")}</Tag>}
      {unreadable.length > 0 && (
        <span title={unreadable[0].unreadable}>
          <Tag tone="madder">{said(unreadable.length, "unreadable")}</Tag>
        </span>
      )}
    </>
  );
}
