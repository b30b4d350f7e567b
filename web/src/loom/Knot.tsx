import clsx from "clsx";
import { memo, type MouseEvent } from "react";
import type { Lens } from "../lenses/lens";
import { tells } from "../lenses/registry";
import { type Row, shortAddress } from "../lib/knots";
import { place } from "../lib/place";
import { useStore } from "../lib/store";
import { CARRIED_DEVICE } from "./Ghosts";
import { Lit } from "./Lit";
import { INK, Mark } from "../ui/Mark";

interface Props {
  row: Extract<Row, { kind: "knot" }>;
  lens: Lens;
  lines: 1 | 2;
  chosen: boolean;
  at: boolean;
  answers: boolean;
  pick: (event: MouseEvent, id: string) => void;
}

/** A device on its strand: address, mark, name, and what the lens tells of it. */
export const Knot = memo(function Knot({ row, lens, lines, chosen, at, answers, pick }: Props) {
  const { device, address } = row;
  const { shape, tone, word, ordinary } = tells(device, lens);
  const lit = useStore(place, (p) => p.lit) && lens.live;
  const said = answers ? "answers" : ordinary ? "" : word;
  return (
    <div
      id={`knot-${device.id}`}
      role="option"
      aria-selected={chosen}
      data-state={device.state}
      onClick={(event) => pick(event, device.id)}
      draggable={!!lens.ghosts && device.taken_in}
      onDragStart={(event) => event.dataTransfer.setData(CARRIED_DEVICE, device.id)}
      className={clsx(
        "grid h-full grid-cols-[46px_16px_1fr_auto] items-center gap-x-1.5 rounded-[3px] pr-1.5",
        chosen ? "bg-indigo-wash" : "hover:bg-weave/50",
        at && "ring-2 ring-indigo ring-inset",
      )}
    >
      <span className={clsx("text-right font-mono text-[12.5px]", row.shared && "font-bold text-madder")} title={address}>
        {shortAddress(address)}
      </span>
      <span className="relative z-10 grid place-items-center">
        <Mark shape={shape} tone={tone} />
      </span>
      <span className="min-w-0 pl-1 leading-tight">
        <span className={clsx("block truncate text-[13.5px]", device.taken_in ? "font-medium" : "italic")}>{device.name}</span>
        {lines === 2 && (
          <span className="block truncate text-[11.5px] text-soft">
            {said && <span className={clsx("text-[12px]", answers ? "text-woad" : INK[tone])}>{said}</span>}
            {[said && "", device.model, row.beside, device.serial].filter((part, at) => part || (at === 0 && said)).join(" · ")}
          </span>
        )}
      </span>
      {((said && lines === 1) || lit) && (
        <span className="flex items-center gap-1.5">
          {said && lines === 1 && <span className={clsx("max-w-[9.5rem] truncate text-right text-[12px]", answers ? "text-woad" : INK[tone])}>{said}</span>}
          {lit && <Lit device={device} />}
        </span>
      )}
      {!said && <span className="sr-only">{word}</span>}
    </div>
  );
});
