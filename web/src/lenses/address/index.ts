import { lazy } from "react";
import type { Device } from "../../api/client";
import { isFitted, type Telling } from "../../lib/knots";
import type { Lens } from "../lens";

const AS_PLANNED: Telling = { shape: "whole", tone: "ink", word: "as planned" };

function telling(device: Device): Telling {
  const found = device.addresses[0]?.address ?? "";
  if (device.planned_address && device.planned_address !== found)
    return { shape: "tail", tone: "weld", word: `to ${device.planned_address}` };
  return device.factory ? { shape: "open", tone: "weld", word: "factory address" } : AS_PLANNED;
}

export const address: Lens = {
  id: "address",
  name: "Address",
  Bench: lazy(async () => ({ default: (await import("./AddressBench")).AddressBench })),
  tells: telling,
  open: (d) => d.taken_in && isFitted(d) && (d.state === "moved" || telling(d) !== AS_PLANNED),
};
