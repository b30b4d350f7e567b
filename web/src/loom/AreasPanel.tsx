import { useState } from "react";
import { api, type Device, got, type Schemas } from "../api/client";
import { useChange } from "../api/work";
import { plural } from "../lib/words";
import { Button } from "../ui/Button";
import { Over } from "../ui/Over";
import { Choice, Input, Labelled, Options } from "../ui/parts";
import { Rename } from "../ui/Rename";

type Area = Schemas["Area"];

/** The areas as people name them, one inside of another: made, renamed, moved, merged, archived, removed. No device is told anything. */
export function AreasPanel({ areas, devices, close }: { areas: Area[]; devices: Device[]; close: () => void }) {
  const [name, setName] = useState("");
  const add = useChange(
    () => got(api.POST("/api/areas", { body: { name } })),
    () => setName(""),
  );
  return (
    <Over title="Areas" note="Places as people name them. Nothing here is told to a device." wide close={close}>
      <div className="overflow-auto px-4 py-2">
        <table className="w-full text-[13px]">
          <thead>
            <tr className="text-left text-[12px] text-soft">
              <th className="font-normal">Area</th>
              <th className="font-normal">Has</th>
              <th aria-label="Change" />
            </tr>
          </thead>
          <tbody>
            {tree(areas).map(({ area, deep }) => (
              <Row key={area.id} area={area} deep={deep} areas={areas} count={devices.filter((d) => d.area === area.name).length} />
            ))}
          </tbody>
        </table>
        <form
          className="mt-3 flex items-end gap-2 border-t border-weave pt-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (name.trim()) add.mutate(undefined);
          }}
        >
          <Labelled label="Another area">
            <Input value={name} maxLength={80} onChange={(event) => setName(event.target.value)} className="w-56" />
          </Labelled>
          <Button type="submit" disabled={!name.trim() || add.isPending}>
            Add it
          </Button>
        </form>
      </div>
    </Over>
  );
}

/** Each after what it is inside of, with how deep it is; all, or those inside of one. */
function tree(areas: Area[], of: number | null = null): { area: Area; deep: number }[] {
  const inside = new Map<number | null, Area[]>();
  for (const area of areas) inside.set(area.parent, [...(inside.get(area.parent) ?? []), area]);
  const within = (parent: number | null, deep: number): { area: Area; deep: number }[] =>
    (inside.get(parent) ?? []).flatMap((area) => [{ area, deep }, ...within(area.id, deep + 1)]);
  return within(of, 0);
}

const NONE = "none";

/** An area; what can become of it is asked for one at a time. */
function Row({ area, deep, areas, count }: { area: Area; deep: number; areas: Area[]; count: number }) {
  const [open, setOpen] = useState(false);
  const edit = useChange((name: string) => got(api.PATCH("/api/areas/{id}", { params: { path: { id: area.id } }, body: { name } })));
  return (
    <>
      <tr className="border-t border-weave">
        <td className="py-1 pr-2" style={{ paddingLeft: deep * 16 }}>
          <Rename name={area.name} label={`Name of ${area.name}`} className="text-left font-medium hover:underline" save={(name) => edit.mutateAsync(name)} />
        </td>
        <td className="pr-2 whitespace-nowrap text-soft">{plural(count, "device")}</td>
        <td className="w-8 text-right">
          <Button look="bare" aria-label={open ? undefined : `Move, merge, archive ${area.name}`} aria-expanded={open} className="!py-0" onClick={() => setOpen(!open)}>
            {open ? "Done" : "Move, merge, archive"}
          </Button>
        </td>
      </tr>
      {open && (
        <tr>
          <td colSpan={3} style={{ paddingLeft: deep * 16 }}>
            <Becomes area={area} areas={areas} count={count} />
          </td>
        </tr>
      )}
    </>
  );
}

function Becomes({ area, areas, count }: { area: Area; areas: Area[]; count: number }) {
  const [then, setThen] = useState("");
  const path = { params: { path: { id: area.id } } };
  const move = useChange((parent: number | null) => got(api.PATCH("/api/areas/{id}", { ...path, body: { parent } })));
  const end = useChange(() => (then === NONE ? got(api.DELETE("/api/areas/{id}", path)) : got(api.POST("/api/areas/{id}/merge", { ...path, body: { into: Number(then) } }))));
  const away = useChange(() => got(api.PATCH("/api/areas/{id}", { ...path, body: { archived: true } })));
  const inside = new Set(tree(areas, area.id).map((one) => one.area.id));
  const others = areas.filter((one) => one.id !== area.id && !inside.has(one.id));
  const into = areas.find((one) => (then === NONE ? one.id === area.parent : String(one.id) === then))?.name;
  return (
    <div className="flex flex-wrap items-end gap-2 pb-2">
      <Labelled label="Inside of">
        <Choice aria-label={`${area.name} is inside of`} value={area.parent ?? ""} disabled={move.isPending} onChange={(event) => move.mutate(event.target.value ? Number(event.target.value) : null)}>
          <option value="">nothing</option>
          <Options of={others} />
        </Choice>
      </Labelled>
      <Labelled label="Its devices go to">
        <Choice aria-label={`Merge or remove ${area.name}`} value={then} onChange={(event) => setThen(event.target.value)}>
          <option value="">it stays</option>
          <option value={NONE}>what is around it: remove it</option>
          <Options of={others} />
        </Choice>
      </Labelled>
      {!then && (
        <Button disabled={count > 0 || inside.size > 0 || away.isPending} title={count > 0 || inside.size > 0 ? "Only an area with nothing in it is archived" : "Kept, and offered nowhere"} aria-label={`Archive ${area.name}`} onClick={() => away.mutate(undefined)}>
          Archive it
        </Button>
      )}
      {then && (
        <Button look="grave" disabled={end.isPending} onClick={() => end.mutate(undefined)}>
          {then === NONE ? "Remove" : "Merge"} it: {plural(count, "device")} {count === 1 ? "goes" : "go"} to {into ?? "no area"}
        </Button>
      )}
    </div>
  );
}
