import { useQuery } from "@tanstack/react-query";
import clsx from "clsx";
import { useEffect, useState } from "react";
import { asProblem, type Device, type Line, type Schemas } from "../../../api/client";
import { universesQuery } from "../../../api/queries";
import { whenCalm } from "../../../lib/calm";
import { type Fixture, type Output, slotsOf } from "../../../lib/universes";
import { plural } from "../../../lib/words";
import { Button } from "../../../ui/Button";
import { Heading, Trouble } from "../../../ui/parts";
import { TableBack } from "../../../bench/TableBack";
import { Fixtures } from "./Fixtures";
import { Levels } from "./Levels";
import { Patches } from "./Patches";
import { Ports } from "./Ports";
import { SlotPicture, SlotLegend } from "./SlotPicture";
import { UniverseHead } from "./UniverseHead";

const CALM_MS = 700;
const FEW = 24; // universes as buttons; more are chosen from a list

interface Props {
  line: Line;
  areas: Schemas["Area"][];
  devices: Device[];
  chosen: Device[];
}

/** Universes of a network: their slots, who listens to which, which port sends what. */
export function Universes({ line, areas, devices, chosen }: Props) {
  const { data, error, refetch } = useQuery(universesQuery(line.id));
  const [opened, setOpened] = useState<number>();
  const [levels, setLevels] = useState(false);
  const [patching, setPatching] = useState(false);
  useEffect(() => {
    return whenCalm(() => void refetch(), CALM_MS);
  }, [devices, refetch]);
  if (error && !data) return <Trouble problem={asProblem(error)} again={() => void refetch()} />;
  if (!data) return null;
  const ids = new Set(chosen.map((d) => d.id));
  const of = <T extends Fixture | Output>(all: T[]) => all.filter((one) => !ids.size || ids.has(one.device));
  const fixtures = of(data.fixtures);
  const outputs = of(data.outputs);
  if (!fixtures.length && !outputs.length && !(line.rules.universes ?? []).length) return null;
  const mine = fixtures.filter((one) => one.mine);
  const first = fixtures.find((one) => one.universe !== null)?.universe ?? outputs.find((one) => one.used)?.universe ?? data.universes[0]?.number;
  const number = opened ?? first ?? undefined;
  const shown = data.universes.find((one) => one.number === number);
  const listed = ids.size ? mine : mine.filter((one) => one.universe === number || one.heard === number || one.universe === null);
  return (
    <section className="mt-4" aria-label={`Universes of ${line.name}`}>
      <Heading aside={plural(data.universes.length, "universe")}>Universes</Heading>
      {shown && (
        <>
          <Tabs universes={data.universes} fixtures={data.fixtures} at={shown.number} open={setOpened} />
          <UniverseHead key={shown.number} universe={shown} line={line} areas={areas} devices={devices} outputs={data.outputs.filter((one) => one.universe === shown.number)} />
          <SlotPicture universe={shown.number} rules={line.rules.universes?.find((one) => one.number === shown.number)} fixtures={data.fixtures} marked={ids} />
          <SlotLegend />
          <Button look="bare" className="!px-0" aria-expanded={levels} onClick={() => setLevels(!levels)}>
            {levels ? "Levels no more" : "Levels now …"}
          </Button>
          {levels && <Levels key={shown.number} line={line} universe={shown} fixtures={data.fixtures.filter((one) => one.universe === shown.number)} />}
        </>
      )}
      {mine.length > 0 && (
        <div className="my-2 flex flex-wrap gap-2">
          <Button aria-expanded={patching} onClick={() => setPatching(!patching)}>
            Places for {ids.size ? plural(mine.length, "fixture") : "all fixtures"} by the rules
          </Button>
        </div>
      )}
      {patching && <Patches key={mine.map((one) => `${one.device} ${one.version}`).join()} devices={mine.map((one) => one.device)} close={() => setPatching(false)} />}
      {listed.length > 0 && <Fixtures rows={listed} />}
      {outputs.length > 0 && <Ports line={line} outputs={outputs} all={ids.size > 0} />}
      {!ids.size && (
        <>
          <p className="mt-2 text-[13px]">
            <a className="text-indigo underline" href={`/api/lines/${line.id}/patch/patch.csv`} download>
              The patch sheet as CSV
            </a>
          </p>
          <TableBack title="A patch sheet that comes back" words="A CSV or XLSX with fixture, universe, start, personality; new fixtures with their model:" label={`Patch sheet of ${line.name}`} url={`/api/lines/${line.id}/patch`} />
        </>
      )}
    </section>
  );
}

interface TabsProps {
  universes: Schemas["Universe"][];
  fixtures: Fixture[];
  at: number;
  open: (number: number) => void;
}

function Tabs({ universes, fixtures, at, open }: TabsProps) {
  const used = universes.filter((one) => one.number === at || one.free < 512 || one.name);
  const list = used.length && used.length <= FEW ? used : universes;
  if (list.length > FEW)
    return (
      <select aria-label="Universe in view" value={at} onChange={(event) => open(Number(event.target.value))} className="mb-2 rounded-[3px] border border-warp bg-cloth px-1 py-0.5 text-[13px]">
        {universes.map((one) => (
          <option key={one.number} value={one.number}>
            {one.shown} {one.name}
          </option>
        ))}
      </select>
    );
  return (
    <div role="group" aria-label="Universe in view" className="mb-2 flex flex-wrap gap-1">
      {list.map((one) => {
        const clash = slotsOf(one.number, undefined, fixtures).some((slot) => slot.clash);
        return (
          <button
            key={one.number}
            type="button"
            aria-pressed={one.number === at}
            title={`${one.free} of 512 slots free${clash ? ", two on one slot" : ""}`}
            onClick={() => open(one.number)}
            className={clsx("rounded-[3px] border px-2 py-0.5 text-[12.5px]", one.number === at ? "border-indigo bg-indigo-wash text-indigo" : "border-warp hover:bg-weave/50", clash && "!text-madder")}
          >
            {one.shown} {one.name}
          </button>
        );
      })}
    </div>
  );
}
