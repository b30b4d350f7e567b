import { lazy } from "react";
import { counted, stateOf } from "../../lib/knots";
import type { Lens } from "../lens";

export const configure: Lens = {
  id: "configure",
  name: "Configure",
  Bench: lazy(async () => ({ default: (await import("./ConfigureBench")).ConfigureBench })),
  tells: (d) =>
    d.fences.some((one) => Date.parse(one.until) > Date.now()) ? { shape: "half", tone: "madder", word: "fenced off" } :
    d.counts.pending || d.counts.unkept
      ? { shape: "half", tone: "weld", word: counted(d, "pending", "unkept") }
      : { ...stateOf(d), word: "as intended" },
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
