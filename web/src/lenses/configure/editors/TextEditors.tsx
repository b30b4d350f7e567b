import { useState } from "react";
import { Button } from "../../../ui/Button";
import { Input } from "../../../ui/parts";
import { type EditorProps, VARIOUS } from "./editor";

/** Bytes, as an EDID: in hexadecimal, with their number. */
export function BytesEditor(props: EditorProps) {
  const { setting, value, hint, set, forget } = props;
  const start = value === VARIOUS || value === null ? "" : String(value);
  const [text, setText] = useState(start);
  const count = text.replace(/[\s:]/g, "").length / 2;
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        if (text) set(setting.path, text);
        else forget(setting.path);
      }}
    >
      <textarea
        aria-label={`Intended ${setting.label}`}
        value={text}
        placeholder={hint}
        rows={3}
        spellCheck={false}
        onChange={(event) => setText(event.target.value)}
        className="w-full rounded-[2px] border border-warp bg-cloth px-1 font-mono text-[11px]"
      />
      <span className="flex items-center gap-1 text-[11px] text-soft">
        {count} of {setting.limits.max_length} bytes
        {text !== start && (
          <Button type="submit" className="!px-1 !py-0">
            decide
          </Button>
        )}
      </span>
    </form>
  );
}

/** A list: one entry a line. */
export function ListEditor({ setting, value, set, forget }: EditorProps) {
  const start = Array.isArray(value) ? value.map(String).join(", ") : "";
  const [text, setText] = useState(start);
  const decide = () => {
    if (text === start) return;
    const entries = text
      .split(",")
      .map((one) => one.trim())
      .filter(Boolean);
    if (entries.length) set(setting.path, entries);
    else forget(setting.path);
  };
  return (
    <Input
      aria-label={`Intended ${setting.label}`}
      value={text}
      placeholder={value === VARIOUS ? "various" : "entries between commas"}
      title={`${setting.limits.least ?? 0} to ${setting.limits.most ?? ""} entries, between commas`}
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
