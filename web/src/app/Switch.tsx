import clsx from "clsx";
import { Search } from "lucide-react";
import { openPanel, place } from "../lib/place";

/** Where there is room for one place only: which one; as large as a thumb. */
export function Switch({ onBench }: { onBench: boolean }) {
  const one = (on: boolean) => clsx("flex h-12 flex-1 items-center justify-center gap-2 text-[14px] font-semibold", on ? "bg-indigo-wash text-indigo" : "text-ink");
  return (
    <nav aria-label="Places" className="flex border-t border-warp bg-cloth">
      <button type="button" aria-pressed={!onBench} className={one(!onBench)} onClick={() => place.set({ onBench: false, selected: new Set(), base: new Set(), cursor: "", line: "" })}>
        Loom
      </button>
      <button type="button" aria-pressed={onBench} className={one(onBench)} onClick={() => place.set({ onBench: true })}>
        Bench
      </button>
      <button type="button" className={one(false)} onClick={() => openPanel("find")}>
        <Search size={16} /> Find
      </button>
    </nav>
  );
}
