import { useEffect } from "react";
import type { Device } from "../api/client";
import { goThroughEdits } from "../api/work";
import { walk } from "../lib/knots";
import { LENSES } from "../lenses/registry";
import { gliding } from "../loom/glide";
import { nextDensity, openPanel, place, select, weaveBy } from "../lib/place";
import { nextWarp } from "../lib/warp";
import { orderIn, sortedOut, type Warp } from "../lib/warp";
import { toggleTheme } from "./theme";

export const KEYS: [string, string][] = [
  ["Arrows", "walk the loom"],
  ["Space", "select or release"],
  ["Shift + arrows", "extend the selection"],
  ["Ctrl + A", "select all"],
  ["Escape", "release the selection"],
  ["Ctrl + Z", "take the last decision back; with Shift make it again"],
  ["Enter", "go to the bench"],
  ["1 – 7", "the lenses"],
  ["/", "find a name, address, serial number, area"],
  [".", "what can be done with the selection"],
  ["s", "loom or sheet"],
  ["z", "density of the loom"],
  ["w", "strands by lines or by areas"],
  ["r", "open or close the run tray"],
  ["t", "light or dark"],
  ["?", "this list"],
];

const ARROWS = new Set(["ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight", "Home", "End"]);

function typing(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && !!target.closest("input:not([type=checkbox]), textarea, select, [contenteditable], [role=dialog]");
}

/** A list, or a field in which nothing is typed that was not decided: there is nothing of its own to take back there. */
function kept(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && !target.closest("[role=dialog]") && !!target.closest("select, [data-kept=true]");
}

/** The keyboard of the whole screen, over the devices that are shown; fields and dialogs keep their own keys. */
export function useKeys(warps: Warp[], devices: Device[], toLens: (id: string) => void): void {
  useEffect(() => {
    // Worked out once for what is shown, not for each key: it goes through all devices.
    let known: string[][] | undefined;
    const order = () => (known ??= orderIn(warps, sortedOut(warps, devices)));

    function move(event: KeyboardEvent): void {
      const next = walk(order(), place.get().cursor, event.key);
      if (!next) return;
      event.preventDefault();
      select(next, event.shiftKey ? "extend" : "only", order().flat());
      document.getElementById(`knot-${next}`)?.scrollIntoView({ block: "nearest" });
    }

    const single: Record<string, () => void> = {
      "/": () => openPanel("find"),
      ".": () => openPanel("actions"),
      "?": () => openPanel("keys"),
      s: () => place.set((p) => ({ ...p, sheet: !p.sheet })),
      z: () => gliding(nextDensity),
      w: () => gliding(() => weaveBy(nextWarp(place.get().by, devices))),
      t: toggleTheme,
      r: () => place.set((p) => ({ ...p, trayOpen: !p.trayOpen })),
      Escape: () => place.set({ selected: new Set(), cursor: "" }),
      Enter: () => document.querySelector<HTMLElement>("#bench")?.focus(),
      " ": () => place.get().cursor && select(place.get().cursor, "toggle"),
    };

    const withCtrl: Record<string, (shift: boolean) => void> = {
      a: () => place.set({ selected: new Set(devices.map((d) => d.id)) }),
      z: (shift) => goThroughEdits(shift ? "redo" : "undo"),
      y: () => goThroughEdits("redo"),
    };

    function pressed(event: KeyboardEvent): void {
      const back = event.ctrlKey && "zy".includes(event.key.toLowerCase()) && kept(event.target);
      if ((typing(event.target) && !back) || event.altKey || event.metaKey) return;
      if (event.ctrlKey) {
        const act = withCtrl[event.key.toLowerCase()];
        if (act) {
          event.preventDefault();
          act(event.shiftKey);
        }
        return;
      }
      const onControl = event.target instanceof HTMLElement && event.target.closest("button, a, summary, input");
      if (onControl && (event.key === "Enter" || event.key === " ")) return;
      if (ARROWS.has(event.key)) return move(event);
      const lens = LENSES[Number(event.key) - 1];
      if (lens) return toLens(lens.id);
      const act = single[event.key];
      if (act) {
        event.preventDefault();
        act();
      }
    }

    window.addEventListener("keydown", pressed);
    return () => window.removeEventListener("keydown", pressed);
  }, [warps, devices, toLens]);
}
