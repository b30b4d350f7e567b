import { useNavigate } from "react-router";
import type { Device } from "../api/client";
import { useBegin } from "../api/work";
import { ask, openPanel, place } from "../lib/place";
import { useStore } from "../lib/store";
import { plural } from "../lib/words";

/** Something that can be done with what is selected, or with everything. */
export interface Action {
  name: string;
  act: () => void;
}

export function useActions(devices: Device[], lead: boolean): Action[] {
  const selected = useStore(place, (p) => p.selected);
  const begin = useBegin();
  const navigate = useNavigate();
  const ids = [...selected];
  const fresh = devices.filter((d) => selected.has(d.id) && !d.taken_in);
  const what = ids.length ? plural(ids.length, "device") : "all devices";
  const run = (work: Parameters<typeof begin.mutate>[0]) => () => begin.mutate(work);
  const actions: Action[] = [
    { name: "Sweep all lines", act: run({ kind: "sweep" }) },
    { name: `Read ${what}`, act: run({ kind: "read", devices: ids }) },
    { name: `Show what would be written to ${what}`, act: () => ask({ kind: "apply", devices: ids }) },
    { name: `Back up ${what}`, act: run({ kind: "backup", devices: ids }) },
    { name: `Verify ${what}`, act: run({ kind: "verify", devices: ids }) },
  ];
  if (ids.length) {
    const known = devices.filter((d) => selected.has(d.id) && d.profile);
    if (known.length) actions.push({ name: `Restart ${what} …`, act: () => ask({ kind: "procedure", devices: ids, procedure: "restart" }) });
    if (known.length) actions.push({ name: `Let ${what} show themselves …`, act: () => ask({ kind: "procedure", devices: ids, procedure: "identify" }) });
  }
  if (lead) actions.push({ name: `Back up ${what} as baseline`, act: run({ kind: "backup", devices: ids, baseline: true }) });
  if (fresh.length) actions.unshift({ name: `Take in ${plural(fresh.length, "device")}`, act: () => void navigate("/survey") });
  actions.push({ name: "Add a line", act: () => openPanel("line") }, { name: "Plan a device", act: () => openPanel("plan-device") }, { name: "Make, rename or merge areas", act: () => openPanel("areas") }, { name: "See archived lines and areas", act: () => openPanel("archived") });
  return actions;
}
