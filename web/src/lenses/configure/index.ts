import { lazy } from "react";
import type { Device } from "../../api/client";
import { counted, stateOf, type Telling } from "../../lib/knots";
import type { Lens } from "../lens";

function telling(device: Device): Telling {
  if (device.fences.some((one) => Date.parse(one.until) > Date.now())) return { shape: "half", tone: "madder", word: "fenced off" };
  if (device.counts.pending || device.counts.unkept) return { shape: "half", tone: "weld", word: counted(device, "pending", "unkept") };
  // What it has now is not known: that it is as intended would be a guess.
  if (device.taken_in && device.read_trouble) return { shape: "open", tone: "weld", word: "not read" };
  if (device.taken_in && !device.read) return { shape: "open", tone: "indigo", word: "never read" };
  return { ...stateOf(device), word: "as intended" };
}

export const configure: Lens = {
  id: "configure",
  name: "Configure",
  Bench: lazy(async () => ({ default: (await import("./ConfigureBench")).ConfigureBench })),
  tells: telling,
  causes: [
    { title: "Decided, but not allowed together", of: (d) => d.taken_in && d.counts.forbidden > 0, means: "It is not written as it is; the bench says why, and what near it is allowed." },
    { title: "Decided, not written", of: (d) => d.taken_in && d.counts.pending > 0, act: { label: "Show what would be written to {n}", kind: "apply" } },
    { title: "Runs, but is not kept", of: (d) => d.taken_in && !d.counts.pending && d.counts.unkept > 0, means: "A power cut would take these values back.", act: { label: "Show what would be stored on {n}", kind: "apply" } },
    { title: "Let in by their factory's code", of: (d) => d.taken_in && d.code === "factory", means: "Whoever has read the maker's papers gets in, too.", act: { label: "New codes for {n}", kind: "codes" } },
    { title: "Could not be read", of: (d) => d.taken_in && d.managed !== false && !!d.read_trouble, act: { label: "Read {n} again", kind: "read" } },
    { title: "Never read", of: (d) => d.taken_in && d.managed !== false && d.state === "known" && !d.read && !d.read_trouble, act: { label: "Read {n}", kind: "read" } },
  ],
  tellsLeft: true,
  live: true,
  open: (d) => d.taken_in && d.counts.pending + d.counts.unkept > 0,
};
