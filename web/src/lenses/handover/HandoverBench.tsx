import type { BenchProps } from "../lens";
import { LENSES, leftToDo, lensOf, tells } from "../registry";
import { select } from "../../lib/place";
import { plural } from "../../lib/words";
import { INK, Mark } from "../../ui/Mark";
import { Papers } from "../../bench/Papers";
import { Heading } from "../../ui/parts";
import { Link } from "react-router";

/** Hand over: what is still open, and the papers. */
export function HandoverBench({ devices }: BenchProps) {
  const open = LENSES.filter((lens) => lens.id !== "handover" && !lens.uncounted).map((lens) => ({ lens, left: leftToDo(devices, lens) }));
  const left = open.filter((one) => one.left);
  const rest = devices.filter(lensOf("handover").open);
  return (
    <>
      <Papers kinds={["report", "schedule", "archive"]} />
      <Heading>{left.length ? "Still open" : "Nothing is open"}</Heading>
      <ul>
        {open.map(({ lens, left: n }) => (
          <li key={lens.id} className="flex items-center gap-2 border-b border-weave/70 py-1 text-[13px]">
            <Mark shape={n ? "open" : "whole"} tone={n ? "weld" : "woad"} />
            <Link to={`/${lens.id}`} className="flex-1 hover:underline">
              {lens.name}
            </Link>
            <span className={n ? "text-weld" : "text-woad"}>{n ? `${plural(n, "device")} to do` : "done"}</span>
          </li>
        ))}
      </ul>
      {rest.length > 0 && (
        <>
          <Heading aside={plural(rest.length, "device")}>Not ready yet</Heading>
          <ul>
            {rest.slice(0, 100).map((device) => {
              const { shape, tone, word } = tells(device, lensOf("handover"));
              return (
                <li key={device.id}>
                  <button type="button" onClick={() => select(device.id, "only")} className="flex w-full items-center gap-2 rounded-[3px] px-1 py-0.5 text-left text-[13px] hover:bg-weave/50">
                    <Mark shape={shape} tone={tone} />
                    <span className="flex-1 truncate">{device.name}</span>
                    <span className={INK[tone]}>{word}</span>
                  </button>
                </li>
              );
            })}
          </ul>
        </>
      )}
    </>
  );
}
