import type { BenchProps } from "../lens";
import { LENSES, leftToDo, lensOf, tells } from "../registry";
import { select } from "../../lib/place";
import { plural } from "../../lib/words";
import { INK, Mark } from "../../ui/Mark";
import { Heading } from "../../ui/parts";
import { Link } from "react-router";

const LINK = "inline-flex items-center rounded-[3px] border px-2.5 py-1 text-[13px] font-medium";

/** Hand over: what is still open, and the papers. */
export function HandoverBench({ devices }: BenchProps) {
  const open = LENSES.slice(0, 5).map((lens) => ({ lens, left: leftToDo(devices, lens) }));
  const left = open.filter((one) => one.left);
  const rest = devices.filter(lensOf("handover").open);
  return (
    <>
      <Heading>Papers</Heading>
      <div className="flex flex-wrap gap-2">
        <a href="/report" target="_blank" rel="noreferrer" className={`${LINK} border-indigo bg-indigo text-cloth dark:text-ground`}>
          Open the settings report
        </a>
        <a href="/api/backups/export" download className={`${LINK} border-warp hover:border-indigo hover:text-indigo`}>
          Export all backups
        </a>
      </div>
      <p className="mt-1.5 text-[12.5px] text-soft">
        The report holds the address schedule, every setting with its approved and running value, and the journal's last hash. It is made
        for paper: print it, or save it as PDF.
      </p>
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
