import clsx from "clsx";
import { useState } from "react";
import type { Setting } from "../../api/client";
import { plural, shown } from "../../lib/words";
import { Choice, Input, Tag } from "../../ui/parts";

interface Props {
  setting: Setting;
  all: Setting[];
  set: (path: string, value: unknown) => void;
  forget: (path: string) => void;
}

const VARIOUS = Symbol("various");
type SetName = "intended" | "running" | "startup" | "baseline";

function common(all: Setting[], name: SetName): unknown {
  const first = all[0][name];
  return all.every((one) => one[name] === first) ? first : VARIOUS;
}

/** Long values wrap after a dot, not in the middle of a number. */
function breakable(text: string): string {
  return text.length > 9 ? text.replaceAll(".", ".\u200b") : text;
}

/** One setting with its four values; where they differ it is said in place. */
export function SettingRow({ setting, all, set, forget }: Props) {
  const intended = common(all, "intended");
  const running = common(all, "running");
  const pending = all.filter((s) => s.intended !== null && s.intended !== s.running && s.running !== null).length;
  const drift = all.filter((s) => s.baseline !== null && s.running !== null && s.baseline !== s.running).length;
  const unkept = all.filter((s) => s.unkept).length;
  const many = all.length > 1;
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
        </span>
      </td>
      <td className="py-0.5 pr-2">
        {setting.reserved ? (
          <span className="text-soft" title={setting.reserved}>
            reserved
          </span>
        ) : (
          <Editor key={String(intended)} setting={setting} value={intended} running={running} set={set} forget={forget} />
        )}
      </td>
      {(["running", "startup", "baseline"] as const).map((name) => {
        const value = common(all, name);
        const differs = (name === "startup" && unkept > 0) || (name === "baseline" && drift > 0);
        return (
          <td key={name} className={clsx("py-1 pr-1 font-mono text-[12px] leading-tight break-words", differs && "font-bold text-madder", name !== "running" && !differs && "text-soft")} title={String(value === VARIOUS ? "various" : (value ?? ""))}>
            {value === VARIOUS ? "various" : breakable(shown(value, setting))}
          </td>
        );
      })}
    </tr>
  );
}

interface EditorProps {
  setting: Setting;
  value: unknown;
  running: unknown;
  set: Props["set"];
  forget: Props["forget"];
}

function Editor({ setting, value, running, set, forget }: EditorProps) {
  const start = value === VARIOUS || value === null ? "" : String(value);
  const [text, setText] = useState(start);
  const label = `Intended ${setting.label}`;
  const hint = value === VARIOUS ? "various" : running === VARIOUS ? "" : shown(running, setting);
  if (setting.type === "choice" || setting.type === "boolean") {
    const options = setting.type === "boolean" ? [{ value: true, label: "Yes" }, { value: false, label: "No" }] : (setting.limits.options ?? []);
    return (
      <Choice
        aria-label={label}
        value={start}
        className={clsx("w-full !py-0.5", value === null && "text-soft")}
        onChange={(event) => {
          const option = options.find((one) => String(one.value) === event.target.value);
          if (option) set(setting.path, option.value);
          else forget(setting.path);
        }}
      >
        <option value="">{value === VARIOUS ? "various" : "as it is"}</option>
        {options.map((one) => (
          <option key={String(one.value)} value={String(one.value)}>
            {one.label}
          </option>
        ))}
      </Choice>
    );
  }
  const decide = () => {
    if (text === start) return;
    if (text === "" && setting.type !== "text") forget(setting.path);
    else set(setting.path, text);
  };
  return (
    <Input
      aria-label={label}
      value={text}
      placeholder={hint}
      inputMode={setting.limits.minimum !== undefined ? "decimal" : undefined}
      title={setting.limits.minimum !== undefined ? `${setting.limits.minimum} to ${setting.limits.maximum} ${setting.unit}` : undefined}
      onChange={(event) => setText(event.target.value)}
      onBlur={decide}
      onKeyDown={(event) => {
        if (event.key === "Enter") decide();
        if (event.key === "Escape") setText(start);
      }}
      className="w-full font-mono !py-0.5 !text-[12px]"
    />
  );
}
