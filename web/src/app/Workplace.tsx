import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { useNavigate, useParams } from "react-router";
import type { Schemas } from "../api/client";
import { asProblem } from "../api/client";
import { devicesQuery, overviewQuery } from "../api/queries";
import { Bench } from "../bench/Bench";
import { LENSES, type LensId, place } from "../lib/place";
import { useStore } from "../lib/store";
import { Loom } from "../loom/Loom";
import { DeviceSheet } from "../loom/DeviceSheet";
import { PlanDialog } from "../tray/PlanDialog";
import { Tray } from "../tray/Tray";
import { Trouble, Waiting } from "../ui/parts";
import { Header } from "./Header";
import { useKeys } from "./keys";
import { Panels } from "./Panels";

/** The one screen: lens strip, loom, bench, tray. */
export function Workplace({ person }: { person: Schemas["Person"] }) {
  const { lens: word } = useParams();
  const navigate = useNavigate();
  const overview = useQuery(overviewQuery);
  const devices = useQuery(devicesQuery);
  const sheet = useStore(place, (p) => p.sheet);
  const lens: LensId = LENSES.find((one) => one.id === word)?.id ?? "survey";
  useKeys(overview.data?.lines ?? [], devices.data ?? [], (id) => void navigate(`/${id}`));

  useEffect(() => {
    if (overview.data) document.title = `${LENSES.find((one) => one.id === lens)!.name} · ${overview.data.installation}`;
  }, [lens, overview.data]);

  const failed = overview.error ?? devices.error;
  if (!overview.data || !devices.data)
    return failed ? <Trouble problem={asProblem(failed)} again={() => location.reload()} /> : <Waiting>Reading the installation …</Waiting>;
  return (
    <div className="flex h-full flex-col">
      <Header person={person} overview={overview.data} devices={devices.data} lens={lens} />
      <div className="flex min-h-0 flex-1">
        {sheet ? (
          <DeviceSheet devices={devices.data} lens={lens} />
        ) : (
          <Loom lines={overview.data.lines} devices={devices.data} lens={lens} />
        )}
        <Bench devices={devices.data} overview={overview.data} lens={lens} person={person} />
      </div>
      <Tray devices={devices.data} />
      <PlanDialog />
      <Panels overview={overview.data} devices={devices.data} person={person} />
    </div>
  );
}
