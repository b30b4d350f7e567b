import { lazy } from "react";
import type { Device } from "../../api/client";
import { drifted, type Telling } from "../../lib/knots";
import type { Lens } from "../lens";

function telling(device: Device): Telling {
  if (device.counts.drift || device.counts.lost) return drifted(device);
  if (!device.baseline) return { shape: "open", tone: "soft", word: "no baseline" };
  if (!device.proof) return { shape: "open", tone: "indigo", word: "not verified yet" };
  if (device.proof === "match") return { shape: "whole", tone: "woad", word: "match" };
  return { shape: "half", tone: "madder", word: device.proof };
}

export const prove: Lens = {
  id: "prove",
  name: "Prove",
  Bench: lazy(async () => ({ default: (await import("./ProveBench")).ProveBench })),
  tells: telling,
  open: (d) => d.taken_in && d.managed !== false && (d.proof !== "match" || d.counts.drift + d.counts.lost > 0),
};
