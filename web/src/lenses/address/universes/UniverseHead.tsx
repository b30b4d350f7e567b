import { useState } from "react";
import { api, asProblem, type Device, got, type Line, type Problem, type Schemas } from "../../../api/client";
import { useChange } from "../../../api/work";
import type { Output, UniverseRules } from "../../../lib/universes";
import { plural } from "../../../lib/words";
import { Button } from "../../../ui/Button";
import { Input, Labelled, Trouble } from "../../../ui/parts";
import { KeptSpans, tidyKept, useKinds } from "../KeptSpans";

interface Props {
  universe: Schemas["Universe"];
  line: Line;
  areas: Schemas["Area"][];
  devices: Device[];
  /** Ports that send it. */
  outputs: Output[];
}

/** What a universe is called, who sends it, and its rules, to change. */
export function UniverseHead({ universe, line, areas, devices, outputs }: Props) {
  const [draft, setDraft] = useState<UniverseRules>();
  const [problem, setProblem] = useState<Problem>();
  const rules = line.rules.universes ?? [];
  const mine = rules.find((one) => one.number === universe.number) ?? { number: universe.number };
  const save = useChange(async (one: UniverseRules) => {
    const universes = [...rules.filter((other) => other.number !== one.number), { ...one, ...tidyKept(one) }].sort((a, b) => a.number - b.number);
    try {
      await got(api.PUT("/api/lines/{ident}/rules", { params: { path: { ident: line.id } }, body: { rules: { ...line.rules, universes }, seen: line.rules } }));
      setDraft(undefined);
      setProblem(undefined);
    } catch (error) {
      setProblem(asProblem(error));
    }
  });
  const used = outputs.filter((one) => one.used);
  const idle = outputs.length - used.length;
  const sent = [...used.map((one) => `${one.name} ${one.called}`), ...(idle ? [`${plural(idle, "port")} that nobody uses`] : [])].join(", ");
  const kinds = useKinds(line, devices);
  return (
    <div className="mb-2 text-[13px]">
      <p className="flex flex-wrap items-baseline gap-x-2">
        <span className="font-medium">
          Universe {universe.shown}
          {universe.name && `, ${universe.name}`}
        </span>
        <span className="text-soft">
          {sent ? `sent by ${sent}` : "sent by no port"}; {universe.free} slots free{universe.twice ? "; several nodes are meant to send it" : ""}
        </span>
        {!draft && (
          <Button look="bare" className="!px-0" onClick={() => setDraft(structuredClone(mine))}>
            Change its rules
          </Button>
        )}
      </p>
      {draft && (
        <form
          className="mt-1 flex flex-col gap-2 rounded-[3px] border border-weave bg-ground/40 px-3 py-2"
          onSubmit={(event) => {
            event.preventDefault();
            save.mutate(draft);
          }}
        >
          <div className="flex flex-wrap items-end gap-3">
            <Labelled label="Name of the universe">
              <Input value={draft.name ?? ""} maxLength={80} onChange={(event) => setDraft({ ...draft, name: event.target.value })} className="w-40" />
            </Labelled>
            <label className="flex items-center gap-1.5 pb-1">
              <input type="checkbox" checked={draft.twice ?? false} onChange={(event) => setDraft({ ...draft, twice: event.target.checked })} /> Several nodes are meant to send it
            </label>
          </div>
          <KeptSpans kept={draft} set={(kept) => setDraft({ ...draft, ...kept })} kinds={kinds} areas={areas} />
          {problem && <Trouble problem={problem} />}
          <div className="flex gap-2">
            <Button look="strong" type="submit" disabled={save.isPending}>
              Keep these rules
            </Button>
            <Button onClick={() => (setDraft(undefined), setProblem(undefined))}>Leave them</Button>
          </div>
        </form>
      )}
    </div>
  );
}
