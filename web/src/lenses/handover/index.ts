import { lazy } from "react";
import type { Device } from "../../api/client";
import { type Telling, whatDiffers } from "../../lib/knots";
import type { Lens } from "../lens";

function telling(device: Device): Telling {
  const differs = whatDiffers(device);
  if (differs) return { shape: "half", tone: "weld", word: differs };
  return device.baseline ? { shape: "whole", tone: "woad", word: "ready", ordinary: true } : { shape: "open", tone: "weld", word: "no baseline" };
}

export const handover: Lens = {
  id: "handover",
  name: "Hand over",
  Bench: lazy(async () => ({ default: (await import("./HandoverBench")).HandoverBench })),
  tells: telling,
  open: (d) => !d.taken_in || d.state !== "known" || !!whatDiffers(d) || (d.managed !== false && !d.baseline),
};
