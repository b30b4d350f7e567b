import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, asProblem, got, type Problem, type Schemas } from "../../api/client";
import { freeQuery, profilesQuery } from "../../api/queries";
import { select } from "../../lib/place";
import { Button } from "../../ui/Button";
import { Over } from "../../ui/Over";
import { Choice, Input, Labelled, Options, Trouble } from "../../ui/parts";

/** A device that is not there yet: its settings can be decided before the hardware comes. */
export function PlanDevice({ overview, close }: { overview: Schemas["Overview"]; close: () => void }) {
  const client = useQueryClient();
  const profiles = useQuery(profilesQuery);
  const [profile, setProfile] = useState("");
  const [line, setLine] = useState("");
  const [problem, setProblem] = useState<Problem>();
  const kinds = profiles.data?.find((one) => one.id === profile)?.line_kinds ?? [];
  const lines = overview.lines.filter((one) => !profile || kinds.includes(one.kind) || kinds.includes(`${one.kind}:${one.protocol}`));
  const chosen = lines.some((one) => one.id === line) ? line : (lines[0]?.id ?? "");
  const free = useQuery({ ...freeQuery(chosen), enabled: !!chosen });

  async function plan(event: React.FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = Object.fromEntries(new FormData(event.currentTarget)) as Record<string, string>;
    try {
      const made = await got(
        api.POST("/api/devices", { body: { name: form.name, profile, line: chosen, address: form.address, area: form.area ? Number(form.area) : null } }),
      );
      await client.invalidateQueries({ queryKey: ["devices"] });
      select(made.id, "only");
      close();
    } catch (error) {
      setProblem(asProblem(error));
    }
  }

  return (
    <Over title="Plan a device" note="It needs not be there yet." close={close}>
      <form onSubmit={plan} className="flex flex-col gap-3 px-4 py-3">
        <Labelled label="Name">
          <Input name="name" required maxLength={80} autoFocus />
        </Labelled>
        <Labelled label="Model">
          <Choice required value={profile} onChange={(event) => setProfile(event.target.value)}>
            <option value="">choose</option>
            {profiles.data?.map((one) => (
              <option key={one.id} value={one.id}>
                {one.maker} {one.model}, {one.kind}
              </option>
            ))}
          </Choice>
        </Labelled>
        <Labelled label="Line">
          <Choice value={chosen} onChange={(event) => setLine(event.target.value)}>
            <Options of={lines} />
          </Choice>
        </Labelled>
        <Labelled label={`Address${free.data?.length ? `, the next free one is ${free.data[0]}` : ""}`}>
          <Input name="address" list="free-addresses" className="font-mono" />
        </Labelled>
        <datalist id="free-addresses">{free.data?.map((one) => <option key={one} value={one} />)}</datalist>
        <Labelled label="Area">
          <Choice name="area" defaultValue="">
            <option value="">none</option>
            {overview.areas.filter((one) => !one.archived).map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </Choice>
        </Labelled>
        {problem && <Trouble problem={problem} />}
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Cancel</Button>
          <Button look="strong" type="submit">
            Plan this device
          </Button>
        </div>
      </form>
    </Over>
  );
}
