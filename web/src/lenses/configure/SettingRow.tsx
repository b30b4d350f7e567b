import clsx from "clsx";
import type { Setting } from "../../api/client";
import { plural, same, shown } from "../../lib/words";
import { scaled } from "../../lib/scales";
import { Tag } from "../../ui/parts";
import { VARIOUS } from "./editors/editor";
import { EDITORS } from "./editors/registry";

interface Props {
  setting: Setting;
  all: Setting[];
  set: (path: string, value: unknown) => void;
  forget: (path: string) => void;
}

type SetName = "intended" | "running" | "startup" | "baseline";

function common(all: Setting[], name: SetName): unknown {
  const first = all[0][name];
  const text = JSON.stringify(first);
  return all.every((one) => one[name] === first || JSON.stringify(one[name]) === text) ? first : VARIOUS;
}

/** Long values wrap after a dot, not in the middle of a number. */
function breakable(text: string): string {
  return text.length > 9 ? text.replaceAll(".", ".\u200b") : text;
}

function title(value: unknown, setting: Setting): string {
  const also = typeof value === "number" ? scaled(value, setting.shown) : "";
  return `${Array.isArray(value) ? JSON.stringify(value) : (value ?? "")} ${also}`.trim();
}

/** One setting with its four values; where they differ it is said in place. */
export function SettingRow({ setting, all, set, forget }: Props) {
  const intended = common(all, "intended");
  const running = common(all, "running");
  const pending = all.filter((s) => s.intended !== null && s.running !== null && !same(s.intended, s.running)).length;
  const drift = all.filter((s) => s.baseline !== null && s.running !== null && !same(s.baseline, s.running)).length;
  const unkept = all.filter((s) => s.unkept).length;
  const unreadable = all.filter((s) => s.unreadable);
  const many = all.length > 1;
  const Editor = EDITORS[setting.editor] ?? EDITORS.row;
  const hint = intended === VARIOUS ? "various" : running === VARIOUS ? "" : shown(running, setting);
  return (
    <tr className={clsx("border-t border-weave/80 align-top", (pending || drift || unkept) && "bg-weld-wash/40")}>
      <td className="py-1 pr-2">
        <span className="block truncate" title={setting.path}>
          {setting.label}
        </span>
        <span className="flex flex-wrap gap-1">
          {pending > 0 && <Tag tone="indigo">{many ? plural(pending, "pending", "pending") : "pending"}</Tag>}
          {unkept > 0 && <Tag tone="weld">{many ? `${unkept} unkept` : "unkept"}</Tag>}
          {drift > 0 && <Tag tone="madder">{many ? `${drift} drift` : "drift"}</Tag>}
          {unreadable.length > 0 && (
            <span title={unreadable[0].unreadable}>
              <Tag tone="madder">{many ? `${unreadable.length} unreadable` : "unreadable"}</Tag>
            </span>
          )}
        </span>
      </td>
      <td className="py-0.5 pr-2">
        {setting.reserved ? (
          <span className="text-soft" title={setting.reserved}>
            reserved
          </span>
        ) : (
          <Editor key={JSON.stringify(intended === VARIOUS ? "various" : intended)} setting={setting} value={intended} hint={hint} set={set} forget={forget} />
        )}
      </td>
      {(["running", "startup", "baseline"] as const).map((name) => {
        const value = common(all, name);
        const differs = (name === "startup" && unkept > 0) || (name === "baseline" && drift > 0);
        return (
          <td key={name} className={clsx("py-1 pr-1 font-mono text-[12px] leading-tight break-words", differs && "font-bold text-madder", name !== "running" && !differs && "text-soft")} title={value === VARIOUS ? "various" : title(value, setting)}>
            {value === VARIOUS ? "various" : breakable(shown(value, setting))}
          </td>
        );
      })}
    </tr>
  );
}
