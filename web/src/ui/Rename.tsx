import { useState } from "react";
import { asProblem } from "../api/client";
import { Input } from "./parts";

interface Props {
  name: string;
  label: string;
  className: string;
  /** Settles when the name is kept; what is refused stays in the field, with the reason. */
  save: (name: string) => Promise<unknown>;
}

/** A name that becomes a field when it is pressed. What was typed stays until it is kept, or given up by Escape. */
export function Rename({ name, label, className, save }: Props) {
  const [text, setText] = useState<string>();
  const [busy, setBusy] = useState(false);
  const [refused, setRefused] = useState("");
  if (text === undefined)
    return (
      <button type="button" className={className} title="Rename" onClick={() => setText(name)}>
        {name}
      </button>
    );
  const close = () => {
    setText(undefined);
    setRefused("");
  };
  const keep = async () => {
    if (busy) return;
    if (text.trim() === name || !text.trim()) return close();
    setBusy(true);
    try {
      await save(text.trim());
      close();
    } catch (error) {
      setRefused(asProblem(error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      <Input
        autoFocus
        aria-label={label}
        aria-invalid={!!refused}
        value={text}
        readOnly={busy}
        onChange={(event) => setText(event.target.value)}
        onBlur={() => void keep()}
        onKeyDown={(event) => {
          if (event.key === "Escape") close();
          if (event.key === "Enter") void keep();
        }}
        className="w-full text-[15px]"
      />
      {refused && <span className="block text-[12px] text-madder">{refused}</span>}
    </>
  );
}
