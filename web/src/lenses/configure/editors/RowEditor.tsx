import clsx from "clsx";
import { useState } from "react";
import { Choice, Input } from "../../../ui/parts";
import { scaled } from "../../../lib/scales";
import { type EditorProps, VARIOUS } from "./editor";

const YES_NO = [
  { value: true, label: "Yes" },
  { value: false, label: "No" },
];

/** A choice, a number or a text on one line. It stays where it is while its value changes; what is refused stays in it. */
export function RowEditor({ setting, value, hint, set, forget }: EditorProps) {
  const start = value === VARIOUS || value === null ? "" : String(value);
  const [known, setKnown] = useState(start);
  const [text, setText] = useState(start);
  const [sent, setSent] = useState<string>();
  const [refused, setRefused] = useState({ text: "", why: "" });
  if (known !== start) {
    // What is kept is another value now; what somebody types meanwhile stays.
    setKnown(start);
    setSent(undefined);
    if (text === known || text === sent) setText(start);
  }
  const label = `Intended ${setting.label}`;
  const options = setting.type === "boolean" ? YES_NO : setting.limits.options;
  const decide = async (next: string, asked: Promise<string>) => {
    setSent(next);
    setRefused({ text: "", why: "" });
    const why = await asked;
    if (why) setSent(undefined);
    setRefused({ text: next, why });
  };
  const told = refused.why && <span className="block text-[11.5px] text-madder">{refused.why}</span>;
  if (options) {
    const shownNow = sent ?? start;
    return (
      <>
        <Choice
          aria-label={label}
          aria-invalid={!!refused.why}
          value={shownNow}
          className={clsx("w-full !py-0.5 !pr-0 !pl-1.5 !text-[12px]", shownNow === "" && "text-soft")}
          onChange={(event) => {
            const option = options.find((one) => String(one.value) === event.target.value);
            void decide(event.target.value, option ? set(setting.path, option.value) : forget(setting.path));
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
        {told}
      </>
    );
  }
  const keep = () => {
    if (text === start || text === sent || (refused.why && text === refused.text)) return;
    void decide(text, text === "" && setting.type !== "text" ? forget(setting.path) : set(setting.path, text));
  };
  const number = setting.limits.minimum !== undefined;
  const also = number && text !== "" ? scaled(Number(text), setting.shown) : "";
  return (
    <>
      <Input
        aria-label={label}
        aria-invalid={!!refused.why}
        value={text}
        placeholder={hint}
        data-kept={text === start || text === sent}
        inputMode={number ? "decimal" : undefined}
        title={number ? `${setting.limits.minimum} to ${setting.limits.maximum} ${setting.unit}` : undefined}
        onChange={(event) => setText(event.target.value)}
        onBlur={keep}
        onKeyDown={(event) => {
          if (event.key === "Enter") keep();
          if (event.key === "Escape") {
            setText(start);
            setRefused({ text: "", why: "" });
          }
        }}
        className="w-full font-mono !py-0.5 !text-[12px]"
      />
      {also && <span className="block text-[11px] text-soft">{also}</span>}
      {told}
    </>
  );
}
