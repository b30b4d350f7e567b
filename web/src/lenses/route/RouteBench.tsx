import { useQueries, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import type { Device } from "../../api/client";
import type { GridForm } from "../../lib/crosspoints";
import { useWatched } from "../../lib/watching";
import type { BenchProps } from "../lens";
import { Heading, Waiting } from "../../ui/parts";
import { Cables } from "./Cables";
import { EdidsAt, StoredEdids } from "./Edids";
import { Grid } from "./Grid";
import { Kits } from "./Kits";
import { LevelGrid } from "./LevelGrid";
import { Paths } from "./Paths";
import { Presets } from "./Presets";
import { gridsQuery, locksQuery, pathsQuery } from "./queries";

const MOST_GRIDS = 4;
const MOST_ASKED = 24;

/** Route: crosspoints of what is selected, and what reaches which display. */
export function RouteBench({ chosen, devices }: BenchProps) {
  const known = useQueries({ queries: chosen.slice(0, MOST_ASKED).map((device) => gridsQuery(device.id)) });
  const able = new Set(chosen.slice(0, MOST_ASKED).flatMap((device, index) => (known[index].data?.length ? [device.id] : [])));
  const grids = chosen.filter((d) => d.taken_in && d.state !== "planned").slice(0, MOST_GRIDS);
  return (
    <>
      {grids.map((device) => (
        <Grids key={device.id} device={device} named={chosen.length > 1} />
      ))}
      <Paths chosen={chosen} devices={devices} />
      <Kits chosen={chosen} />
      <Presets chosen={chosen} able={able} />
      {chosen.length === 1 && <EdidsAt device={chosen[0]} />}
      <Cables chosen={chosen} />
      {!chosen.length && <StoredEdids />}
    </>
  );
}

function Grids({ device, named }: { device: Device; named: boolean }) {
  const { data } = useQuery(gridsQuery(device.id));
  if (!data) return <Waiting>Opening {device.name} …</Waiting>;
  if (!data.length) return null;
  return <Live device={device} named={named} grids={data} />;
}

function Live({ device, named, grids }: { device: Device; named: boolean; grids: GridForm[] }) {
  const { states, trouble } = useWatched(device.id);
  const locks = useQuery(locksQuery).data ?? [];
  const paths = useQuery(pathsQuery).data?.paths;
  const ends = useMemo(() => {
    const found: Record<string, string[]> = {};
    for (const path of paths ?? [])
      for (const hop of path.hops) if (hop.device === device.id && path.end.device !== device.id) (found[hop.out] ??= []).push(path.end.name);
    return Object.fromEntries(Object.entries(found).map(([jack, names]) => [jack, names.length > 2 ? `${names[0]} and ${names.length - 1} more` : names.join(", ")]));
  }, [paths, device.id]);
  return (
    <>
      {grids.map((grid) => (
        <div key={grid.label} className="mb-4">
          <Heading aside={trouble ? <span className="text-madder">no live states: {trouble}</span> : states ? "live" : "asking …"}>{named ? `${device.name}: ${grid.label}` : grid.label}</Heading>
          {grid.levels ? <LevelGrid device={device} grid={grid} states={states} locks={locks} /> : <Grid device={device} grid={grid} states={states} locks={locks} ends={ends} />}
        </div>
      ))}
    </>
  );
}
