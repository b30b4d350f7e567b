import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo } from "react";
import { useNavigate, useParams } from "react-router";
import type { Schemas } from "../api/client";
import { asProblem } from "../api/client";
import { devicesQuery, overviewQuery } from "../api/queries";
import { Bench } from "../bench/Bench";
import { lensOf } from "../lenses/registry";
import { inState } from "../lib/knots";
import { place } from "../lib/place";
import { useLeaving } from "../people/Leave";
import { useStore } from "../lib/store";
import { warpsBy } from "../lib/warp";
import { Loom } from "../loom/Loom";
import { DeviceSheet } from "../loom/DeviceSheet";
import { PlanDialog } from "../tray/PlanDialog";
import { Tray } from "../tray/Tray";
import { Boundary } from "../ui/Boundary";
import { Trouble, Waiting } from "../ui/parts";
import { useNarrow } from "../lib/narrow";
import { Header } from "./Header";
import { Switch } from "./Switch";
import { useKeys } from "./keys";
import { Panels } from "./Panels";

/** The one screen: lens strip, loom, bench, tray. */
export function Workplace({ person }: { person: Schemas["Person"] }) {
  const { lens: word } = useParams();
  const navigate = useNavigate();
  const overview = useQuery(overviewQuery);
  const devices = useQuery(devicesQuery);
  const sheet = useStore(place, (p) => p.sheet);
  useLeaving(devices.data);
  const lens = lensOf(word);
  const only = useStore(place, (p) => (lens.finds ? p.only : ""));
  const todo = useStore(place, (p) => p.todo);
  // What is shown is what the keys walk and what Ctrl + A selects.
  const shown = useMemo(() => {
    const those = inState(devices.data ?? [], only);
    return todo && !lens.uncounted ? those.filter(lens.open) : those;
  }, [devices.data, only, todo, lens]);
  const by = useStore(place, (p) => p.by);
  const warps = useMemo(
    () => warpsBy(by, overview.data?.lines ?? [], overview.data?.areas ?? [], devices.data ?? []),
    [by, overview.data, devices.data],
  );
  useKeys(warps, shown, (id) => void navigate(`/${id}`));

  useEffect(() => {
    if (overview.data) document.title = `${lens.name} · ${overview.data.installation}`;
  }, [lens, overview.data]);

  const narrow = useNarrow();
  const picked = useStore(place, (p) => p.selected.size > 0 || p.line !== "");
  const onBench = useStore(place, (p) => p.onBench) || picked;
  const failed = overview.error ?? devices.error;
  if (!overview.data || !devices.data)
    return failed ? <Trouble problem={asProblem(failed)} again={() => location.reload()} /> : <Waiting>Reading the installation …</Waiting>;
  return (
    <div className="flex h-full flex-col">
      <Header person={person} overview={overview.data} devices={devices.data} />
      <div className="flex min-h-0 flex-1">
        {(!narrow || !onBench) && <Boundary place={sheet ? "The sheet" : "The loom"}>
          {sheet ? (
            <DeviceSheet devices={shown} lens={lens} />
          ) : (
            <Loom lines={overview.data.lines} areas={overview.data.areas} away={overview.data.archived.length + overview.data.areas.filter((area) => area.archived).length} warps={warps} devices={devices.data} shown={shown} lens={lens} />
          )}
        </Boundary>}
        {(!narrow || onBench) && <Bench devices={devices.data} overview={overview.data} lens={lens} person={person} narrow={narrow} />}
      </div>
      {narrow && <Switch onBench={onBench} />}
      <Boundary place="The run tray">
        <Tray devices={devices.data} />
        <PlanDialog />
      </Boundary>
      <Panels overview={overview.data} devices={devices.data} person={person} />
    </div>
  );
}
