import { useState } from "react";
import type { Setting, WholeDevice } from "../../api/client";
import { plural, same, shown } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Heading } from "../../ui/parts";
import type { Decision } from "./SettingSheet";

const MOST = 6; // devices side by side

interface Props {
  whole: WholeDevice[];
  settings: Setting[];
  decideFor: (devices: WholeDevice[], decisions: (device: WholeDevice) => Decision[]) => Promise<string>;
}

const valueOf = (device: WholeDevice, path: string) => {
  const own = device.settings.find((one) => one.path === path);
  return own ? (own.intended ?? own.running) : undefined;
};
const mayBeCopied = (setting: Setting) => setting.type !== "secret" && !setting.reserved && setting.role !== "address" && setting.role !== "password";

/** Several devices side by side, where they differ; chosen values of one are decided for the others. */
export function Compare({ whole, settings, decideFor }: Props) {
  const [from, setFrom] = useState(whole[0].id);
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  const [all, setAll] = useState(false);
  const shownDevices = whole.slice(0, MOST);
  const rows = settings.filter((s) => mayBeCopied(s) && (all || !whole.every((d) => same(valueOf(d, s.path) ?? null, valueOf(whole[0], s.path) ?? null))));
  const source = whole.find((d) => d.id === from) ?? whole[0];
  const others = whole.filter((d) => d !== source);
  const known = rows.filter((s) => (valueOf(source, s.path) ?? null) !== null);
  const picked = known.filter((s) => chosen.has(s.path));
  const mark = (path: string, on: boolean) =>
    setChosen((now) => {
      const next = new Set(now);
      if (on) next.add(path);
      else next.delete(path);
      return next;
    });
  const copy = async () => {
    const refused = await decideFor(others, (device) => picked.filter((s) => !same(valueOf(device, s.path) ?? null, valueOf(source, s.path) ?? null)).map((s) => ({ path: s.path, value: valueOf(source, s.path) })));
    if (!refused) setChosen(new Set());
  };
  return (
    <section aria-label="Side by side" className="mt-4">
      <Heading
        aside={
          <label className="flex items-center gap-1">
            <input type="checkbox" checked={all} onChange={(event) => setAll(event.target.checked)} /> also what is alike
          </label>
        }
      >
        Side by side
      </Heading>
      {!rows.length ? (
        <p className="text-[12.5px] text-soft">They agree in all that is in view.</p>
      ) : (
        <>
          <div className="max-h-80 overflow-auto">
            <table className="min-w-full text-[12.5px]">
              <thead className="sticky top-0 bg-cloth">
                <tr className="text-left text-[12px] text-soft">
                  <th className="w-5">
                    <input
                      type="checkbox"
                      aria-label="Choose all of them"
                      checked={known.length > 0 && picked.length === known.length}
                      onChange={(event) => setChosen(new Set(event.target.checked ? known.map((s) => s.path) : []))}
                    />
                  </th>
                  <th className="pr-3 font-normal">Setting</th>
                  {shownDevices.map((d) => (
                    <th key={d.id} className="max-w-32 truncate pr-3 font-normal" title={d.name}>
                      {d.name}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {rows.map((s) => (
                  <tr key={s.path} className="border-t border-weave/80">
                    <td>
                      <input type="checkbox" aria-label={`Choose ${s.label}`} disabled={!known.includes(s)} checked={chosen.has(s.path)} onChange={(event) => mark(s.path, event.target.checked)} />
                    </td>
                    <td className="max-w-44 truncate py-0.5 pr-3" title={s.path}>
                      {s.label}
                    </td>
                    {shownDevices.map((d) => (
                      <td key={d.id} className={`max-w-32 truncate pr-3 font-mono ${same(valueOf(d, s.path) ?? null, valueOf(source, s.path) ?? null) ? "text-soft" : ""}`}>
                        {shown(valueOf(d, s.path) ?? null, s)}
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          {whole.length > MOST && <p className="text-[12px] text-soft">{whole.length - MOST} more are not drawn here; what is copied goes to them, too.</p>}
          <p className="mt-2 flex flex-wrap items-center gap-2 text-[13px]">
            <Choice aria-label="Whose values" value={source.id} onChange={(event) => setFrom(event.target.value)}>
              {whole.map((d) => (
                <option key={d.id} value={d.id}>
                  {d.name}
                </option>
              ))}
            </Choice>
            <Button disabled={!picked.length} onClick={() => void copy()}>
              Decide {plural(picked.length, "value")} of it for the other {plural(others.length, "device")}
            </Button>
          </p>
        </>
      )}
    </section>
  );
}
