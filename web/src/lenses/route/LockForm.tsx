import { useState } from "react";
import { api, got } from "../../api/client";
import { called, type GridForm } from "../../lib/crosspoints";
import { Button } from "../../ui/Button";
import { Choice, Input, Labelled } from "../../ui/parts";
import { useRoutingChange } from "./useRouting";

/** Lock an output as it is, or keep one input away from it; the reason is for everybody to see. */
export function LockForm({ device, grid, point, close }: { device: string; grid: GridForm; point: string; close: () => void }) {
  const [why, setWhy] = useState("");
  const [state, setState] = useState("");
  const lock = useRoutingChange(() => got(api.POST("/api/routing/locks", { body: { device, point, state, why } })), close);
  const row = grid.rows.find((one) => one.point === point);
  if (!row) return null;
  return (
    <form
      aria-label={`Lock ${called(row)}`}
      className="mt-1 flex flex-wrap items-end gap-2 rounded-[3px] border border-weave bg-ground/40 px-2 py-2"
      onSubmit={(event) => {
        event.preventDefault();
        lock.mutate(undefined);
      }}
      onKeyDown={(event) => event.key === "Escape" && (event.stopPropagation(), close())}
    >
      <Labelled label={`Lock ${called(row)}`}>
        <Choice value={state} onChange={(event) => setState(event.target.value)}>
          <option value="">as it is: nobody changes it from here</option>
          {grid.columns.map((one) => (
            <option key={one.state} value={one.state}>
              only against {called(one)}
            </option>
          ))}
        </Choice>
      </Labelled>
      <Labelled label="because">
        <Input autoFocus required maxLength={200} value={why} onChange={(event) => setWhy(event.target.value)} aria-label="Reason for the lock" className="w-56" />
      </Labelled>
      <Button look="strong" type="submit" disabled={!why.trim() || lock.isPending}>
        Lock it
      </Button>
      <Button onClick={close}>Leave it</Button>
    </form>
  );
}
