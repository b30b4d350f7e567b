import { useState } from "react";
import { Button } from "../../../ui/Button";
import { Input } from "../../../ui/parts";
import type { EditorProps } from "./editor";

/** Written and never shown: what is typed goes once, and nothing comes back. */
export function SecretEditor({ setting, value, set, forget }: EditorProps) {
  const [text, setText] = useState("");
  const decided = value !== null;
  return (
    <form
      className="flex items-center gap-1"
      onSubmit={(event) => {
        event.preventDefault();
        if (text) set(setting.path, text);
        setText("");
      }}
    >
      <Input
        type="password"
        autoComplete="new-password"
        aria-label={`New ${setting.label}`}
        placeholder={decided ? "decided, not shown" : "as it is"}
        value={text}
        onChange={(event) => setText(event.target.value)}
        className="min-w-0 flex-1 !py-0.5 !text-[12px]"
      />
      {decided && !text && (
        <Button className="!px-1 !py-0" onClick={() => forget(setting.path)}>
          forget
        </Button>
      )}
    </form>
  );
}
