import { lazy, Suspense } from "react";
import type { Device, Schemas } from "../api/client";
import { openPanel, place } from "../lib/place";
import { useStore } from "../lib/store";
import { plural } from "../lib/words";
import { Codes } from "../lenses/configure/Codes";
import { AddLine } from "../lenses/survey/AddLine";
import { Expected } from "../lenses/survey/Expected";
import { PlanDevice } from "../lenses/survey/PlanDevice";
import { Archived } from "../loom/Archived";
import { AreasPanel } from "../loom/AreasPanel";
import { Over } from "../ui/Over";
import { Button } from "../ui/Button";
import { useActions } from "./actions";
import { Find } from "./Find";
import { KEYS } from "./keys";

interface Props {
  overview: Schemas["Overview"];
  devices: Device[];
  person: Schemas["Person"];
}

const close = () => openPanel("");
// A terminal is large, and most days nobody opens one.
const Console = lazy(() => import("../console/ConsolePanel"));

function ConsolePanel(props: { devices: Device[]; overview: Schemas["Overview"]; close: () => void }) {
  return (
    <Suspense fallback={null}>
      <Console {...props} />
    </Suspense>
  );
}

export function Panels({ overview, devices, person }: Props) {
  const panel = useStore(place, (p) => p.panel);
  if (panel === "find") return <Find devices={devices} overview={overview} lead={person.role === "lead"} />;
  if (panel === "keys") return <Keys />;
  if (panel === "actions") return <Actions devices={devices} lead={person.role === "lead"} />;
  if (panel === "codes") return <Codes devices={devices} close={close} />;
  if (panel === "line") return <AddLine close={close} />;
  if (panel === "expected") return <Expected close={close} />;
  if (panel === "console") return <ConsolePanel devices={devices} overview={overview} close={close} />;
  if (panel === "areas") return <AreasPanel areas={overview.areas.filter((area) => !area.archived)} devices={devices} close={close} />;
  if (panel === "archived") return <Archived overview={overview} lead={person.role === "lead"} close={close} />;
  if (panel === "plan-device") return <PlanDevice overview={overview} close={close} />;
  return null;
}

function Keys() {
  return (
    <Over title="Keys" close={close}>
      <dl className="grid grid-cols-[9rem_1fr] gap-y-1.5 overflow-auto px-4 py-3 text-[13px]">
        {KEYS.map(([key, does]) => (
          <div key={key} className="contents">
            <dt className="font-mono text-[12.5px]">{key}</dt>
            <dd>{does}</dd>
          </div>
        ))}
      </dl>
    </Over>
  );
}

function Actions({ devices, lead }: { devices: Device[]; lead: boolean }) {
  const count = useStore(place, (p) => p.selected.size);
  const actions = useActions(devices, lead);
  return (
    <Over title={count ? `With ${plural(count, "device")}` : "With everything"} close={close}>
      <div className="flex flex-col gap-1 p-3">
        {actions.map(({ name, act }, index) => (
          <Button key={name} look="bare" autoFocus={index === 0} className="justify-start !text-ink" onClick={() => (close(), act())}>
            {name}
          </Button>
        ))}
      </div>
    </Over>
  );
}
