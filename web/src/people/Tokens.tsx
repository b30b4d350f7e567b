import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, asProblem, got, type Schemas } from "../api/client";
import { tokensQuery } from "../api/queries";
import { tellProblem } from "../api/work";
import { exact } from "../lib/words";
import { Button } from "../ui/Button";
import { Choice, Empty, Heading, Input, Labelled, Mono, Trouble, Waiting, When } from "../ui/parts";
import { useForm } from "./You";

export const ROLES = ["viewer", "technician", "lead"] as const;
type Role = (typeof ROLES)[number];

/** Tokens by which scripts come in: each with a role, an end and a last use. */
export function Tokens({ person }: { person: Schemas["Person"] }) {
  const client = useQueryClient();
  const tokens = useQuery(tokensQuery);
  const [made, setMade] = useState("");
  const changed = () => client.invalidateQueries({ queryKey: ["tokens"] });
  const making = useForm(async ({ name, role, days }) => {
    const token = await got(api.POST("/api/session/tokens", { body: { name, role: role as Role, days: Number(days) } }));
    setMade(token.token ?? "");
    await changed();
  });
  const take = (id: number) =>
    got(api.DELETE("/api/session/tokens/{id}", { params: { path: { id } } })).catch(tellProblem).finally(() => void changed());
  return (
    <>
      <Heading>New token</Heading>
      <form onSubmit={making.submit} className="flex flex-wrap items-end gap-2">
        <Labelled label="What it is for">
          <Input name="name" required maxLength={60} />
        </Labelled>
        <Labelled label="May do as much as">
          <Choice name="role" defaultValue="viewer">
            {ROLES.slice(0, ROLES.indexOf(person.role) + 1).map((role) => (
              <option key={role}>{role}</option>
            ))}
          </Choice>
        </Labelled>
        <Labelled label="Days">
          <Input name="days" type="number" min={1} max={366} defaultValue={90} required className="w-20" />
        </Labelled>
        <Button type="submit" disabled={making.busy}>
          Make
        </Button>
      </form>
      {making.problem && <Trouble problem={making.problem} />}
      {made && (
        <div role="status" className="mt-2 rounded-[3px] bg-woad-wash px-3 py-2 text-[13px]">
          <p className="mb-1 font-medium text-woad">This is shown once. Give it to the script as “Authorization: Bearer …”.</p>
          <Mono className="break-all">{made}</Mono>
        </div>
      )}
      <Heading>Yours</Heading>
      {tokens.isPending && <Waiting>Reading your tokens …</Waiting>}
      {tokens.error && <Trouble problem={asProblem(tokens.error)} />}
      {tokens.data && !tokens.data.length && <Empty title="You have none." />}
      <ul>
        {(tokens.data ?? []).map((token) => (
          <li key={token.id} className="flex flex-wrap items-center gap-3 border-b border-weave/70 py-1 text-[13px]">
            <span className="flex-1 truncate font-medium">{token.name}</span>
            <span className="w-24 text-soft">{token.role}</span>
            <span className="w-36 text-soft">
              used <When at={token.used} />
            </span>
            <span className="w-40 text-soft">until {exact(token.expires).split(",")[0]}</span>
            <Button onClick={() => void take(token.id)}>Take back</Button>
          </li>
        ))}
      </ul>
    </>
  );
}
