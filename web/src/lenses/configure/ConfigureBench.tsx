import { useQueries } from "@tanstack/react-query";
import { Redo2, Undo2 } from "lucide-react";
import { startTransition, useEffect, useMemo, useRef, useState } from "react";
import { asProblem, type Device, type Setting, type WholeDevice } from "../../api/client";
import { deviceQuery } from "../../api/queries";
import { goThroughEdits, useDecide } from "../../api/work";
import { edits } from "../../lib/edits";
import { sharedBy } from "../../lib/shared";
import { useStore } from "../../lib/store";
import { LeftToDo } from "../../bench/LeftToDo";
import type { BenchProps } from "../lens";
import { lensOf } from "../registry";
import { ask, place } from "../../lib/place";
import { besides, firstOf, partsOf, placeOf } from "../../lib/grids";
import { plural, shown } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Empty, Heading, Input, Trouble, Waiting } from "../../ui/parts";
import { AtTheDevice } from "./AtTheDevice";
import { Compare } from "./Compare";
import { Conflicts } from "./Conflicts";
import { Feeds } from "./Feeds";
import { Fences } from "./Fences";
import { History } from "./History";
import { Joins } from "./Joins";
import { Labels } from "./Labels";
import { Monitor } from "./monitor/Monitor";
import { Restless } from "./monitor/Restless";
import { Panel } from "./Panel";
import { usePoints } from "./PointNow";
import { Points } from "./Points";
import { differing } from "./OnIt";
import { SettingRow } from "./SettingRow";
import { type Decision, SettingSheet } from "./SettingSheet";
import { Tables } from "./Tables";
import { Templates } from "./Templates";
import { VIEW_KEYS, VIEWS } from "./views/registry";

const MOST = 60;
const AT_FIRST = 80; // settings that are drawn at once
const EACH_TIME = 80;

/** Configure: values of one device, or what many have in common, side by side; live states; write. */
export function ConfigureBench({ chosen, devices }: BenchProps) {
  const taken = chosen.filter((d) => d.taken_in).slice(0, MOST);
  const answers = useQueries({ queries: taken.map((d) => deviceQuery(d.id)) });
  if (!chosen.length)
    return (
      <>
        <Restless />
        <LeftToDo devices={devices} lens={lensOf("configure")} />
        <p className="text-[12.5px] text-soft">Select one device or many of a model: their values come side by side here.</p>
        <Monitor />
      </>
    );
  if (!taken.length) return <Empty title="Take it in first, under Survey: then it has settings here." />;
  const failed = answers.find((one) => one.error && !one.data);
  if (failed) return <Trouble problem={asProblem(failed.error)} again={() => answers.forEach((one) => void one.refetch())} />;
  if (answers.some((one) => !one.data)) return <Waiting>Reading the records …</Waiting>;
  const whole = answers.map((one) => one.data!);
  return <Values key={taken.map((d) => d.id).join()} whole={whole} devices={devices} left={chosen.length - taken.length} />;
}

const told = (words: string) => ({ "aria-label": words, title: words });

/** Back and forth through what was decided on this page. */
function Edits() {
  const undo = useStore(edits, (e) => e.past.at(-1)?.words);
  const redo = useStore(edits, (e) => e.future.at(-1)?.words);
  if (!undo && !redo) return null;
  return (
    <span className="ml-auto flex gap-1">
      <Button look="bare" {...told(undo ? `Take back: ${undo} (Ctrl + Z)` : "Nothing to take back")} disabled={!undo} onClick={() => goThroughEdits("undo")}>
        <Undo2 size={15} />
      </Button>
      <Button look="bare" {...told(redo ? `Decide again: ${redo} (Ctrl + Shift + Z)` : "Nothing to decide again")} disabled={!redo} onClick={() => goThroughEdits("redo")}>
        <Redo2 size={15} />
      </Button>
    </span>
  );
}

const SHOW = {
  all: "all settings",
  differs: "what differs",
  decided: "what is decided",
  mine: "what I changed",
  unkept: "what goes at a power cut",
  restart: "what needs a restart",
};
const NOTHING: Record<keyof typeof SHOW, string> = {
  all: "This model has no settings, only points.",
  differs: "Nothing differs: intended, running, startup and baseline agree.",
  decided: "Nothing is decided yet. Change a value under Intended.",
  mine: "You changed nothing here since this page was opened.",
  unkept: "A power cut would take nothing back.",
  restart: "Nothing here waits for a restart.",
};

/** What is typed is there at once; the list follows in pieces, and is left where another key comes. */
function Search({ set }: { set: (text: string) => void }) {
  const [text, setText] = useState("");
  return (
    <Input
      aria-label="Search in the settings"
      placeholder="label or value"
      value={text}
      onChange={(event) => {
        const typed = event.target.value;
        setText(typed);
        startTransition(() => set(typed));
      }}
      className="w-24 !py-0"
    />
  );
}

function Values({ whole, devices, left }: { whole: WholeDevice[]; devices: Device[]; left: number }) {
  const [show, setShow] = useState<keyof typeof SHOW>("all");
  const [search, setSearch] = useState("");
  const change = useDecide();
  const versions = Object.fromEntries(whole.map((d) => [d.id, d.version]));
  const pending = whole.reduce((sum, d) => sum + d.counts.pending, 0);
  const unkept = whole.reduce((sum, d) => sum + d.counts.unkept, 0);
  const models = new Set(whole.map((d) => d.profile)).size;
  const read = whole.every((d) => d.read);
  const decideFor = (devices: WholeDevice[], decisions: (device: WholeDevice) => Decision[]): Promise<string> =>
    change.mutateAsync({ changes: devices.flatMap((d) => decisions(d).map((one) => ({ device: d.id, ...one }))), versions }).then(
      () => "",
      (error) => asProblem(error).message,
    );
  const decide = (decisions: Decision[]) => decideFor(whole, () => decisions);
  const set = (path: string, value: unknown) => decide([{ path, value }]);
  const forget = (path: string) => decide([{ path, forget: true }]);
  const byPath = useMemo(() => {
    const found = new Map<string, Setting[]>();
    for (const device of whole) for (const setting of device.settings) found.set(setting.path, [...(found.get(setting.path) ?? []), setting]);
    return found;
  }, [whole]);
  const all = (setting: Setting) => byPath.get(setting.path) ?? [setting];
  const shared = useMemo(() => sharedBy(whole), [whole]);
  const past = useStore(edits, (e) => e.past);
  const mine = useMemo(() => new Set(past.flatMap((edit) => edit.paths ?? [])), [past]);
  const low = search.trim().toLowerCase();
  const texts = useMemo(() => new Map(shared.map((setting) => [setting, `${setting.label} ${setting.path} ${shown(setting.running, setting)} ${shown(setting.intended, setting)}`.toLowerCase()])), [shared]);
  const wanted = useMemo(() => shared.filter((setting) => {
    if (low && !texts.get(setting)?.includes(low)) return false;
    const those = all(setting);
    if (show === "decided") return those.some((s) => s.intended !== null);
    if (show === "mine") return mine.has(setting.path);
    if (show === "unkept") return those.some((s) => s.unkept || s.kept === "never");
    if (show === "restart") return those.some((s) => s.takes === "on-restart");
    if (show === "differs") {
      const { pending, unkept, drift, unreadable } = differing(those);
      return pending + unkept + drift + unreadable.length > 0;
    }
    return true;
  }), [shared, texts, low, show, byPath, mine]);
  const parts = useMemo(() => partsOf(wanted), [wanted]);
  const sought = useStore(place, (p) => p.setting);
  const [most, setMost] = useState(AT_FIRST);
  const drawn = firstOf(parts, Math.max(most, sought ? placeOf(parts, sought) : 0));
  const single = whole.length === 1 ? whole[0] : undefined;
  const points = usePoints(single);
  const beside = new Map(
    parts.flatMap((part) => (part.kind === "sheet" && single && points.there ? [[part.sheet.key, besides(part.sheet, single.points)] as const] : [])),
  );
  const columns = [...beside.values()].flat();
  return (
    <>
      <div className="sticky -top-3 z-20 -mx-4 mb-2 flex flex-wrap items-center gap-2 border-b border-weave bg-cloth px-4 py-2">
        <Button
          look="strong"
          disabled={!pending && !unkept}
          onClick={() => ask({ kind: "apply", devices: whole.map((d) => d.id) })}
        >
          {pending
            ? `Write ${plural(pending, "setting")} to ${plural(whole.filter((d) => d.counts.pending).length, "device")} …`
            : unkept
              ? `Store ${plural(unkept, "value")} …`
              : "Nothing to write"}
        </Button>
        {pending > 0 && (
          <Button title="Writes the values without storing them: a power cut takes them back" onClick={() => ask({ kind: "apply", devices: whole.map((d) => d.id), keep: false })}>
            Try without storing …
          </Button>
        )}
        <Edits />
      </div>
      <Conflicts whole={whole} decideFor={decideFor} />
      {left > 0 && <p className="mb-2 text-[12.5px] text-weld">{left} of the selected devices are left out here: not taken in, or more than {MOST}.</p>}
      {models > 1 && shared.length > 0 && <p className="mb-2 text-[12.5px] text-soft">These are of {models} models. What all of them have is here.</p>}
      {!read && <p className="mb-2 text-[12.5px] text-weld">Not every one of them was read yet: running values are missing.</p>}
      {single && <Restless device={single.id} />}
      {single && <Fences device={single} />}
      {single && <Panel device={single} points={points} />}
      {single && <Points device={single} points={points} beside={new Set(columns.flatMap((column) => Object.values(column.at).map((point) => point.short)))} />}
      {single && single.feeds.length > 0 && <Feeds device={single} />}
      {whole.length === 1 &&
        whole[0].face.views.map((view) => {
          const View = VIEWS[view.kind];
          return View ? (
            <div key={view.label} className="mt-4">
              <Heading aside={VIEW_KEYS[view.kind]}>{view.label}</Heading>
              <View device={whole[0]} view={view} set={set} />
            </div>
          ) : null;
        })}
      <Heading
        aside={
          <span className="flex items-center gap-2">
            <span className="whitespace-nowrap">
              {wanted.length} of {shared.length}
            </span>
            <Search set={(text) => (setSearch(text), setMost(AT_FIRST))} />
            <Choice aria-label="Which settings are shown" value={show} onChange={(event) => setShow(event.target.value as keyof typeof SHOW)} className="!py-0">
              {Object.entries(SHOW).map(([id, name]) => (
                <option key={id} value={id}>
                  {name}
                </option>
              ))}
            </Choice>
          </span>
        }
      >
        Settings
      </Heading>
      {drawn.shown.map((part) =>
        part.kind === "sheet" ? (
          <SettingSheet key={part.sheet.key} sheet={part.sheet} all={all} decide={decide} called={single?.face.axes[part.sheet.axis] ?? []} now={beside.get(part.sheet.key)?.length ? { columns: beside.get(part.sheet.key)!, points } : undefined} />
        ) : (
          <Rows key={part.settings[0].path} settings={part.settings} all={all} set={set} forget={forget} channel={whole.length === 1 ? whole[0].channel : ""} />
        ),
      )}
      {drawn.left > 0 && <More left={drawn.left} more={() => startTransition(() => setMost((now) => now + EACH_TIME))} />}
      {!wanted.length && (
        <Empty title={!shared.length ? (models > 1 ? `No setting is the same on these ${models} models. Select devices of one model to set them together.` : "This model has no settings, only points.") : low ? "No setting is called that, or has that value." : NOTHING[show]} />
      )}
      {whole.length > 1 && <Compare key={`compare ${whole.map((d) => d.id).join()}`} whole={whole} settings={wanted} decideFor={decideFor} />}
      <Tables devices={whole} settings={wanted} />
      <Templates key={whole.map((d) => d.id).join()} devices={whole} settings={wanted} />
      {single && <Joins device={single} devices={devices} />}
      {whole.length === 1 && <Labels device={whole[0]} devices={devices} />}
      {single?.can.includes("record") && <History device={single} />}
      {whole.length === 1 && <AtTheDevice device={whole[0]} />}
    </>
  );
}

/** Draws the next ones as soon as it comes into view. */
function More({ left, more }: { left: number; more: () => void }) {
  const here = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    const seen = new IntersectionObserver((all) => all.some((one) => one.isIntersecting) && more(), { rootMargin: "40px" });
    if (here.current) seen.observe(here.current);
    return () => seen.disconnect();
  });
  return (
    <button ref={here} type="button" className="my-2 text-[12.5px] text-soft hover:underline" onClick={more}>
      {plural(left, "more setting")} below
    </button>
  );
}

interface RowsProps {
  settings: Setting[];
  all: (setting: Setting) => Setting[];
  set: (path: string, value: unknown) => Promise<string>;
  forget: (path: string) => Promise<string>;
  channel: string;
}

/** Settings of which there is one each. */
function Rows({ settings, all, set, forget, channel }: RowsProps) {
  return (
    <table className="mb-3 w-full table-fixed text-[12.5px]">
      <colgroup>
        <col className="w-[36%]" />
        <col className="w-[34%]" />
        <col />
      </colgroup>
      <thead>
        <tr className="text-left text-[12px] text-soft">
          <th className="py-1 font-normal">Setting</th>
          <th className="font-normal">Intended</th>
          <th className="font-normal" title={channel && `It came by ${channel}`}>
            It has
          </th>
        </tr>
      </thead>
      <tbody>
        {settings.map((setting) => (
          <SettingRow key={setting.path} setting={setting} all={all(setting)} set={set} forget={forget} />
        ))}
      </tbody>
    </table>
  );
}
