import { useState } from "react";
import { api, got, type Line } from "../../api/client";
import { useChange } from "../../api/work";
import { Button } from "../../ui/Button";
import { Heading, Mono } from "../../ui/parts";
import { PortFields } from "./PortFields";

const PARITIES: Record<string, string> = { N: "no parity", E: "even parity", O: "odd parity" };

/** The port of a serial line, with its speed and parity; they can be others while nobody uses it. */
export function PortOf({ line }: { line: Line }) {
  const [open, setOpen] = useState(false);
  const save = useChange(
    (body: { path: string; speed: number; parity: "N" | "E" | "O" }) =>
      got(api.PATCH("/api/lines/{ident}", { params: { path: { ident: line.id } }, body })),
    () => setOpen(false),
  );
  function keep(event: React.FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = Object.fromEntries(new FormData(event.currentTarget)) as Record<string, string>;
    save.mutate({ path: form.path, speed: Number(form.speed), parity: form.parity as "N" | "E" | "O" });
  }
  return (
    <>
      <Heading aside={<Button look="bare" onClick={() => setOpen(!open)}>{open ? "Leave it" : "Change"}</Button>}>Port</Heading>
      <p className="text-[12.5px] text-soft">
        <Mono>{line.path}</Mono> · {line.speed} baud · {PARITIES[line.parity] ?? line.parity}
        {line.adapter && (
          <>
            {" "}
            · follows its adapter <Mono>{line.adapter}</Mono>
          </>
        )}
      </p>
      {open && (
        <form onSubmit={keep} className="mt-2 flex flex-wrap items-end gap-2">
          <PortFields now={line} />
          <Button type="submit" disabled={save.isPending}>
            Keep this port
          </Button>
          <p className="w-full text-[12px] text-soft">Only how Netloom talks on this line changes; no device is told anything.</p>
        </form>
      )}
    </>
  );
}
