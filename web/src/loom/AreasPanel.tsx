import { useState } from "react";
import { api, type Device, got, type Schemas } from "../api/client";
import { useChange } from "../api/work";
import { plural } from "../lib/words";
import { Button } from "../ui/Button";
import { Over } from "../ui/Over";
import { Choice, Input, Labelled } from "../ui/parts";
import { Rename } from "../ui/Rename";

type Area = Schemas["Area"];

/** The areas as people name them, one inside of another: made, renamed, moved, merged, removed. No device is told anything. */
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
              <th className="font-normal">Inside of</th>
              <th className="font-normal">Merge or remove</th>
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

/** Each after what it is inside of, with how deep it is. */
export function tree(areas: Area[]): { area: Area; deep: number }[] {
  const within = (parent: number | null, deep: number): { area: Area; deep: number }[] =>
    areas.filter((area) => area.parent === parent).flatMap((area) => [{ area, deep }, ...within(area.id, deep + 1)]);
  return within(null, 0);
}

const NONE = "none";

function Row({ area, deep, areas, count }: { area: Area; deep: number; areas: Area[]; count: number }) {
  const [then, setThen] = useState("");
  const path = { params: { path: { id: area.id } } };
  const edit = useChange((body: Schemas["PatchedEditAreaRequest"]) => got(api.PATCH("/api/areas/{id}", { ...path, body })));
  const end = useChange(() => (then === NONE ? got(api.DELETE("/api/areas/{id}", path)) : got(api.POST("/api/areas/{id}/merge", { ...path, body: { into: Number(then) } }))));
  const below = new Set(tree(areas).filter(({ area: one }) => isIn(one, area.id, areas)).map(({ area: one }) => one.id));
  const others = areas.filter((one) => !below.has(one.id));
  const around = areas.find((one) => one.id === area.parent)?.name;
  const into = then === NONE ? around : areas.find((one) => String(one.id) === then)?.name;
  return (
    <tr className="border-t border-weave align-top">
      <td className="py-1 pr-2" style={{ paddingLeft: deep * 16 }}>
        <Rename name={area.name} label={`Name of ${area.name}`} className="text-left font-medium hover:underline" save={(name) => edit.mutateAsync({ name })} />
      </td>
      <td className="py-1 pr-2 whitespace-nowrap text-soft">{plural(count, "device")}</td>
      <td className="py-1 pr-2">
        <Choice aria-label={`${area.name} is inside of`} value={area.parent ?? ""} disabled={edit.isPending} className="w-40 !py-0" onChange={(event) => edit.mutate({ parent: event.target.value ? Number(event.target.value) : null })}>
          <option value="">nothing</option>
          {others.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}
            </option>
          ))}
        </Choice>
      </td>
      <td className="py-1">
        <Choice aria-label={`Merge or remove ${area.name}`} value={then} className="w-40 !py-0" onChange={(event) => setThen(event.target.value)}>
          <option value="">stays</option>
          <option value={NONE}>remove it</option>
          {others.map((one) => (
            <option key={one.id} value={one.id}>
              into {one.name}
            </option>
          ))}
        </Choice>
        {then && (
          <Button look="grave" className="my-0.5 ml-1.5 !py-0" disabled={end.isPending} onClick={() => end.mutate(undefined)}>
            {then === NONE ? "Remove" : "Merge"} it: {plural(count, "device")} {count === 1 ? "goes" : "go"} to {into ?? "no area"}
          </Button>
        )}
      </td>
    </tr>
  );
}

function isIn(area: Area, outer: number, areas: Area[]): boolean {
  for (let at: Area | undefined = area; at; at = areas.find((one) => one.id === at?.parent)) if (at.id === outer) return true;
  return false;
}
