import { useQuery } from "@tanstack/react-query";
import clsx from "clsx";
import { useState } from "react";
import { api, type Device, got, type Schemas } from "../../api/client";
import { plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Heading, Input, Tag, Waiting } from "../../ui/parts";
import { NotTaken } from "./NotTaken";
import { presetQuery, presetsQuery } from "./queries";
import { show, useRoutingChange } from "./useRouting";

/** Presets over one device or several, and the devices' own. */
export function Presets({ chosen, able }: { chosen: Device[]; able: Set<string> }) {
  const { data } = useQuery(presetsQuery);
  const [open, setOpen] = useState("");
  const [name, setName] = useState("");
  const ids = new Set(chosen.map((d) => d.id));
  const grids = chosen.filter((d) => able.has(d.id));
  const keep = useRoutingChange(
    () => got(api.POST("/api/routing/presets", { body: { name, devices: grids.map((d) => d.id), over: data?.presets.some((one) => one.name.toLowerCase() === name.trim().toLowerCase()) ?? false } })),
    () => setName(""),
  );
  if (!data) return <Waiting>Reading the presets …</Waiting>;
  const mine = data.presets.filter((one) => !chosen.length || one.devices.some((id) => ids.has(id)));
  const own = data.own.filter((one) => ids.has(one.device));
  const there = data.presets.find((one) => one.name.toLowerCase() === name.trim().toLowerCase());
  return (
    <section className="mt-4 first:mt-0" aria-label="Presets">
      <Heading>Presets{mine.length ? ` · ${mine.length}` : ""}</Heading>
      {!mine.length && <p className="text-[12.5px] text-soft">{grids.length ? "None is kept. A preset keeps all crosspoints as they are now, of one device or of several." : "None is kept. Select a matrix, or several, to keep one."}</p>}
      <ul>
        {mine.map((one) => (
          <li key={one.id} className="border-b border-weave/70 py-1 text-[12.5px]">
            <button type="button" aria-expanded={open === one.id} className="w-full text-left hover:text-indigo" onClick={() => setOpen(open === one.id ? "" : one.id)}>
              <b className="font-medium">{one.name}</b> <span className="text-soft">{plural(one.cells, "crosspoint")} of {plural(one.devices.length, "device")}, by {one.by}</span>
            </button>
            {open === one.id && <Compared preset={one} />}
          </li>
        ))}
      </ul>
      {grids.length > 0 && (
        <form
          className="mt-1.5 flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            keep.mutate(undefined);
          }}
        >
          <Input aria-label="Name of a preset to keep" placeholder="Name" maxLength={80} value={name} onChange={(event) => setName(event.target.value)} className="w-44" />
          <Button type="submit" disabled={!name.trim() || keep.isPending}>
            {there ? "Write over it" : `Keep ${grids.length === 1 ? grids[0].name : plural(grids.length, "device")} as now`}
          </Button>
        </form>
      )}
      {own.length > 0 && <Own own={own} presets={data.presets} />}
    </section>
  );
}

const VERDICTS: Record<string, "woad" | "weld" | "madder"> = { same: "woad", differs: "weld", unknown: "madder", gone: "madder" };

/** A preset cell by cell against what is now; the whole of it, or what is marked, is taken at once. */
function Compared({ preset }: { preset: Schemas["Preset"] }) {
  const { data } = useQuery(presetQuery(preset.id));
  const [only, setOnly] = useState<Set<string>>(new Set());
  const [ends, setEnds] = useState<Schemas["Taken"][]>([]);
  const key = (cell: { device: string; point: string }) => `${cell.device} ${cell.point}`;
  const recall = useRoutingChange(async (cells: Schemas["ComparedCell"][]) => {
    const points = cells.map((cell) => [cell.device, cell.point]);
    const done = await got(api.POST("/api/routing/presets/{ident}/recall", { params: { path: { ident: preset.id } }, body: { points } }));
    show(done.cells);
    setEnds(done.cells.filter((one) => one.word !== "taken" && one.word !== "same"));
    setOnly(new Set());
  });
  const drop = useRoutingChange(() => got(api.DELETE("/api/routing/presets/{ident}", { params: { path: { ident: preset.id } } })));
  if (!data) return <Waiting>Comparing …</Waiting>;
  const differs = data.cells.filter((cell) => cell.verdict !== "same");
  const marked = data.cells.filter((cell) => only.has(key(cell)));
  return (
    <div className="mt-1">
      <div className="flex flex-wrap items-center gap-2">
        <Button look="strong" disabled={recall.isPending || !data.cells.length} onClick={() => recall.mutate(marked.length ? marked : data.cells)}>
          {marked.length ? `Take ${marked.length} of it` : "Take all of it"}
        </Button>
        <span className={differs.length ? "text-weld" : "text-woad"}>{differs.length ? `${differs.length} of ${data.cells.length} are otherwise now` : "It is so now"}</span>
        <Button look="bare" disabled={drop.isPending} onClick={() => drop.mutate(undefined)}>
          Forget it
        </Button>
      </div>
      <NotTaken cells={ends} close={() => setEnds([])} />
      <ul className="mt-1 max-h-60 overflow-auto">
        {[...differs, ...data.cells.filter((cell) => cell.verdict === "same")].map((cell) => (
          <li key={key(cell)} className={clsx("flex items-center gap-2", cell.verdict === "same" && "text-soft")}>
            <input
              type="checkbox"
              aria-label={`Take ${cell.label} of ${cell.name}`}
              checked={only.has(key(cell))}
              onChange={(event) => {
                const next = new Set(only);
                if (event.target.checked) next.add(key(cell));
                else next.delete(key(cell));
                setOnly(next);
              }}
              className="accent-indigo"
            />
            <span className="min-w-0 flex-1 truncate">
              {cell.name}: {cell.label}
            </span>
            <span>
              {cell.verdict === "same" ? cell.state : `${cell.now || "not known"} → ${cell.state}`}
            </span>
            {cell.verdict !== "same" && <Tag tone={VERDICTS[cell.verdict]}>{cell.verdict === "gone" ? "is not there" : cell.verdict === "unknown" ? "not known" : "differs"}</Tag>}
          </li>
        ))}
      </ul>
    </div>
  );
}

/** Presets in the devices themselves: kept apart, and matched with ours. */
function Own({ own, presets }: { own: Schemas["OwnPreset"][]; presets: Schemas["Preset"][] }) {
  const drive = useRoutingChange(({ device, point, number }: { device: string; point: string; number: number }) =>
    got(api.POST("/api/devices/{word}/drive", { params: { path: { word: device } }, body: { point, state: String(number) } })),
  );
  return (
    <>
      <Heading aside="some devices lose them with their power">In the devices themselves</Heading>
      <ul className="text-[12.5px]">
        {own.map((one) => (
          <li key={`${one.device} ${one.number}`} className="flex items-center gap-2 border-b border-weave/60 py-0.5">
            <span className="min-w-0 flex-1 truncate">
              {one.device_name}, preset {one.number}
              {one.name && ` ${one.name}`} <span className="text-soft">{Object.keys(one.cells).length ? (one.same ? `the same as ${presets.find((p) => p.id === one.same)?.name}` : "") : "does not tell what is in it"}</span>
            </span>
            <Button className="!py-0" disabled={drive.isPending} onClick={() => drive.mutate({ device: one.device, point: one.recall, number: one.number })}>
              Recall
            </Button>
            {one.keep && (
              <Button className="!py-0" disabled={drive.isPending} onClick={() => drive.mutate({ device: one.device, point: one.keep, number: one.number })}>
                Keep as now
              </Button>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}
