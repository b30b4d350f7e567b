import { lazy } from "react";
import type { Device } from "../../api/client";
import { isFitted, type Telling } from "../../lib/knots";
import type { Lens } from "../lens";

/** At the other end of a cable is one device, and no address. */
const DIRECT = "direct";
const AS_PLANNED: Telling = { shape: "whole", tone: "ink", word: "as planned", ordinary: true };

function telling(device: Device): Telling {
  const found = device.addresses[0]?.address ?? "";
  if (device.planned_address && device.planned_address !== found)
    return { shape: "tail", tone: "weld", word: `to ${device.planned_address}` };
  if (device.slot !== null && device.counts.place > 0) return { shape: "tail", tone: "weld", word: device.slot ? `to slot ${device.slot}` : "to other slots" };
  return device.factory && found !== DIRECT ? { shape: "open", tone: "weld", word: "factory address" } : AS_PLANNED;
}

export const address: Lens = {
  id: "address",
  name: "Address",
  Bench: lazy(async () => ({ default: (await import("./AddressBench")).AddressBench })),
  ghosts: true,
  tellsLeft: true,
  tells: telling,
  causes: [
    { title: "Answers elsewhere than planned", of: (d) => d.taken_in && isFitted(d) && !!d.planned_address && d.planned_address !== d.addresses[0]?.address, act: { label: "Show what would be written to {n}", kind: "apply" } },
    { title: "Listens to other slots than planned", of: (d) => d.taken_in && isFitted(d) && d.slot !== null && d.counts.place > 0, act: { label: "Show what would be written to {n}", kind: "apply" } },
    { title: "Still on its factory's address", of: (d) => d.factory && d.addresses[0]?.address !== DIRECT && d.state !== "missing" && d.state !== "not-looked", means: "Plan an address for each: fresh units all come on the same one." },
    { title: "Found, not taken in", of: (d) => !d.taken_in, means: "Take them in under Survey; then they can be given an address." },
  ],
  open: (d) => d.taken_in && isFitted(d) && (d.state === "moved" || telling(d) !== AS_PLANNED),
};
