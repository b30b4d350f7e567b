import clsx from "clsx";
import { useState } from "react";
import { Choice, Input } from "../../../ui/parts";
import { scaled } from "../../../lib/scales";
import { type EditorProps, VARIOUS } from "./editor";

const YES_NO = [
  { value: true, label: "Yes" },
  { value: false, label: "No" },
];

/** A choice, a number or a text on one line. */
export function RowEditor({ setting, value, hint, set, forget }: EditorProps) {
  const start = value === VARIOUS || value === null ? "" : String(value);
  const [text, setText] = useState(start);
  const label = `Intended ${setting.label}`;
  const options = setting.type === "boolean" ? YES_NO : setting.limits.options;
  if (options) {
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
        {/* In brackets: what it has, with nothing decided. */}
        <option value="">{value === VARIOUS ? "various" : hint && hint !== "–" ? `(${hint})` : "as it is"}</option>
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
  const number = setting.limits.minimum !== undefined;
  const also = number && text !== "" ? scaled(Number(text), setting.shown) : "";
  return (
    <>
      <Input
        aria-label={label}
        value={text}
        placeholder={hint}
        inputMode={number ? "decimal" : undefined}
        title={number ? `${setting.limits.minimum} to ${setting.limits.maximum} ${setting.unit}` : undefined}
        onChange={(event) => setText(event.target.value)}
        onBlur={decide}
        onKeyDown={(event) => {
          if (event.key === "Enter") decide();
          if (event.key === "Escape") setText(start);
        }}
        className="w-full font-mono !py-0.5 !text-[12px]"
      />
      {also && <span className="block text-[11px] text-soft">{also}</span>}
    </>
  );
}
