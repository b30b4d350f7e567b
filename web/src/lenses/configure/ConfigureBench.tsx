import { useQueries } from "@tanstack/react-query";
import { useState } from "react";
import type { Setting, WholeDevice } from "../../api/client";
import { deviceQuery } from "../../api/queries";
import { useDecide } from "../../api/work";
import type { BenchProps } from "../lens";
import { ask } from "../../lib/place";
import { plural, same } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Empty, Heading, Waiting } from "../../ui/parts";
import { AtTheDevice } from "./AtTheDevice";
import { Points } from "./Points";
import { SettingRow } from "./SettingRow";
import { VIEW_KEYS, VIEWS } from "./views/registry";

const MOST = 60;

/** Configure: values of one device or of many of a model, side by side; live states; write. */
export function ConfigureBench({ chosen, devices }: BenchProps) {
  const taken = chosen.filter((d) => d.taken_in).slice(0, MOST);
  const answers = useQueries({ queries: taken.map((d) => deviceQuery(d.id)) });
  const waiting = devices.filter((d) => d.taken_in && d.counts.pending + d.counts.unkept > 0);
  if (!chosen.length)
    return (
      <Empty title="Select one device or many of a model: their values come side by side here.">
        {waiting.length > 0 && (
          <Button look="strong" onClick={() => ask({ kind: "apply", devices: [] })}>
            Show what would be written to {plural(waiting.length, "device")}
          </Button>
        )}
      </Empty>
    );
  if (!taken.length) return <Empty title="Take it in first, under Survey: then it has settings here." />;
  if (answers.some((one) => !one.data)) return <Waiting>Reading the records …</Waiting>;
  const whole = answers.map((one) => one.data!);
  const model = whole[0].profile;
  if (whole.some((d) => d.profile !== model)) return <Empty title="These are of several models. Select devices of one model to set them together." />;
  return <Values key={taken.map((d) => d.id).join()} whole={whole} left={chosen.length - taken.length} />;
}

const SHOW = { all: "all settings", differs: "what differs", decided: "what is decided" };

/** Settings of one relay or input side by side: /relays/1/name, /relays/1/idle, then /relays/2/name. */
function together(settings: Setting[]): Setting[] {
  const group = (path: string) => path.split("/").slice(1, 3).join("/");
  const order = [...new Set(settings.map((s) => group(s.path)))];
  return [...settings].sort((a, b) => order.indexOf(group(a.path)) - order.indexOf(group(b.path)));
}

function Values({ whole, left }: { whole: WholeDevice[]; left: number }) {
  const [show, setShow] = useState<keyof typeof SHOW>("all");
  const change = useDecide();
  const versions = Object.fromEntries(whole.map((d) => [d.id, d.version]));
  const pending = whole.reduce((sum, d) => sum + d.counts.pending, 0);
  const unkept = whole.reduce((sum, d) => sum + d.counts.unkept, 0);
  const read = whole.every((d) => d.read);
  const set = (path: string, value: unknown) => change.mutate({ changes: whole.map((d) => ({ device: d.id, path, value })), versions });
  const forget = (path: string) => change.mutate({ changes: whole.map((d) => ({ device: d.id, path, forget: true })), versions });
  const rows = together(whole[0].settings)
    .map((setting) => ({ setting, all: whole.map((d) => d.settings.find((s) => s.path === setting.path)!) }))
    .filter(({ all }) => {
      if (show === "decided") return all.some((s) => s.intended !== null);
      if (show === "differs") return all.some((s) => s.unkept || (s.intended !== null && !same(s.intended, s.running)) || (s.baseline !== null && !same(s.baseline, s.running)));
      return true;
    });
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
      </div>
      {left > 0 && <p className="mb-2 text-[12.5px] text-weld">{left} of the selected devices are left out here: not taken in, or more than {MOST}.</p>}
      {!read && <p className="mb-2 text-[12.5px] text-weld">Not every one of them was read yet: running values are missing.</p>}
      {whole.length === 1 && <Points device={whole[0]} />}
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
          <label className="flex items-center gap-2">
            {rows.length} of {whole[0].settings.length}
            <Choice aria-label="Which settings are shown" value={show} onChange={(event) => setShow(event.target.value as keyof typeof SHOW)} className="!py-0">
              {Object.entries(SHOW).map(([id, name]) => (
                <option key={id} value={id}>
                  {name}
                </option>
              ))}
            </Choice>
          </label>
        }
      >
        Settings
      </Heading>
      {rows.length ? (
        <table className="w-full table-fixed text-[12.5px]">
          <colgroup>
            <col className="w-[29%]" />
            <col className="w-[26%]" />
            <col />
            <col />
            <col />
          </colgroup>
          <thead className="sticky top-[34px] z-10 bg-cloth">
            <tr className="text-left text-[12px] text-soft">
              <th className="py-1 font-normal">Setting</th>
              <th className="font-normal">Intended</th>
              <th className="font-normal" title={whole.length === 1 && whole[0].channel ? `It came by ${whole[0].channel}` : undefined}>
                Running
              </th>
              <th className="font-normal">Startup</th>
              <th className="font-normal">Baseline</th>
            </tr>
          </thead>
          <tbody>
            {rows.map(({ setting, all }) => (
              <SettingRow key={setting.path} setting={setting} all={all} set={set} forget={forget} />
            ))}
          </tbody>
        </table>
      ) : (
        <Empty title={!whole[0].settings.length ? "This model has no settings, only points." : show === "differs" ? "Nothing differs: intended, running, startup and baseline agree." : "Nothing is decided yet. Change a value under Intended."} />
      )}
      {whole.length === 1 && <AtTheDevice device={whole[0]} />}
    </>
  );
}
