import { api, got, type Schemas } from "../api/client";
import { useChange } from "../api/work";
import { openLine } from "../lib/place";
import { ago, exact, plural } from "../lib/words";
import { Button } from "../ui/Button";
import { Over } from "../ui/Over";
import { Heading } from "../ui/parts";

type Overview = Schemas["Overview"];

/** Lines and areas that were put away, with what came along; each can be brought back as it was. */
export function Archived({ overview, lead, close }: { overview: Overview; lead: boolean; close: () => void }) {
  const areas = overview.areas.filter((area) => area.archived);
  return (
    <Over title="Archived" note="All that is known of them is kept. Nothing goes out on an archived line, and no run takes its devices." wide close={close}>
      <div className="overflow-auto px-4 pb-3 text-[13px]">
        <Heading>Lines</Heading>
        {overview.archived.length === 0 && <p className="text-soft">No line is archived. A line is put away on its own page: press its name on the loom.</p>}
        {overview.archived.map((line) => (
          <LineRow key={line.id} line={line} lead={lead} close={close} />
        ))}
        <Heading>Areas</Heading>
        {areas.length === 0 && <p className="text-soft">No area is archived.</p>}
        {areas.map((area) => (
          <AreaRow key={area.id} area={area} />
        ))}
      </div>
    </Over>
  );
}

function LineRow({ line, lead, close }: { line: Overview["archived"][number]; lead: boolean; close: () => void }) {
  const back = useChange(
    () => got(api.PATCH("/api/lines/{ident}", { params: { path: { ident: line.id } }, body: { archived: false } })),
    () => (close(), openLine(line.id)),
  );
  return (
    <div className="flex items-baseline gap-3 border-b border-weave/70 py-1.5">
      <span className="min-w-0 flex-1 truncate font-medium" title={line.name}>
        {line.name} <span className="font-mono text-[12px] font-normal text-soft">{line.where}</span>
      </span>
      <span className="whitespace-nowrap text-soft">{plural(line.devices, "device")}</span>
      <span className="whitespace-nowrap text-soft" title={exact(line.since)}>
        {ago(line.since)}
      </span>
      <Button disabled={!lead || back.isPending} title={lead ? undefined : "Only a lead brings lines back"} aria-label={`Bring back ${line.name}`} onClick={() => back.mutate(undefined)}>
        Bring it back
      </Button>
    </div>
  );
}

function AreaRow({ area }: { area: Schemas["Area"] }) {
  const back = useChange(() => got(api.PATCH("/api/areas/{id}", { params: { path: { id: area.id } }, body: { archived: false } })));
  return (
    <div className="flex items-baseline justify-between gap-3 border-b border-weave/70 py-1.5">
      <span className="min-w-0 truncate font-medium">{area.name}</span>
      <Button disabled={back.isPending} aria-label={`Bring back ${area.name}`} onClick={() => back.mutate(undefined)}>
        Bring it back
      </Button>
    </div>
  );
}
