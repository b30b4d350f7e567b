import { lazy } from "react";
import type { Device } from "../../api/client";
import { drifted, type Telling } from "../../lib/knots";
import type { Lens } from "../lens";

function telling(device: Device): Telling {
  if (device.counts.drift || device.counts.lost) return drifted(device);
  if (!device.baseline) return { shape: "open", tone: "soft", word: "no baseline" };
  if (!device.proof) return { shape: "open", tone: "indigo", word: "not verified yet" };
  if (device.proof === "match") return { shape: "whole", tone: "woad", word: "match", ordinary: true };
  return { shape: "half", tone: "madder", word: device.proof };
}

export const prove: Lens = {
  id: "prove",
  name: "Prove",
  Bench: lazy(async () => ({ default: (await import("./ProveBench")).ProveBench })),
  tells: telling,
  causes: [
    { title: "Lost at a power cut", of: (d) => d.taken_in && d.counts.lost > 0, means: "These values ran, were not stored, and are gone." },
    { title: "Differs from its baseline", of: (d) => d.taken_in && d.counts.drift > 0 && !d.counts.lost },
    { title: "Could not be reached when it was verified", of: (d) => d.proof === "unreachable", act: { label: "Verify {n} again", kind: "verify" } },
    { title: "Not shown to be as approved", of: (d) => d.taken_in && (d.proof === "unproven" || d.proof === "unkept") && !d.counts.drift && !d.counts.lost },
    { title: "Not verified yet", of: (d) => d.taken_in && d.managed !== false && !!d.baseline && !d.proof && !d.counts.drift && !d.counts.lost, act: { label: "Verify {n}", kind: "verify" } },
    { title: "Nothing approved to compare with", of: (d) => d.taken_in && d.managed !== false && !d.baseline, means: "Back them up as baseline, under Protect." },
  ],
  open: (d) => d.taken_in && d.managed !== false && (d.proof !== "match" || d.counts.drift + d.counts.lost > 0),
};
