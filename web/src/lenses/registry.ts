import type { Device } from "../api/client";
import { stateOf, type Telling } from "../lib/knots";
import { address } from "./address";
import { configure } from "./configure";
import { handover } from "./handover";
import type { Lens } from "./lens";
import { protect } from "./protect";
import { prove } from "./prove";
import { route } from "./route";
import { survey } from "./survey";

/** In the order of the work; the number keys follow it. */
export const LENSES: readonly Lens[] = [survey, address, configure, route, protect, prove, handover];

/** The lens of that id; the first one where there is none. */
export const lensOf = (id: string | undefined): Lens => LENSES.find((one) => one.id === id) ?? LENSES[0];

/** What a knot tells under a lens: a mark, and words beside it. What is out of the ordinary goes first under every lens. */
export function tells(device: Device, lens: Lens): Telling {
  const state = stateOf(device);
  if (state.shape !== "whole") return state;
  if (device.managed === false && !lens.finds) return { shape: "whole", tone: "soft", word: "watched", ordinary: true };
  return lens.tells(device);
}

/** How many devices still have something to do under a lens. */
export const leftToDo = (devices: Device[], lens: Lens): number => devices.filter(lens.open).length;
