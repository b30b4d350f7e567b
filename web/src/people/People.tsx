import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, asProblem, got, type Schemas } from "../api/client";
import { peopleQuery } from "../api/queries";
import { tellProblem } from "../api/work";
import { Button } from "../ui/Button";
import { Choice, Heading, Input, Labelled, Mono, Tag, Trouble, Waiting } from "../ui/parts";
import { ROLES } from "./Tokens";
import { useForm } from "./You";

type Person = Schemas["Person"];

/** Everybody, for a lead: roles, links for those who come in for the first time, and the door. */
export function People({ me }: { me: Person }) {
  const client = useQueryClient();
  const people = useQuery(peopleQuery);
  const [link, setLink] = useState<{ name: string; url: string }>();
  const changed = () => client.invalidateQueries({ queryKey: ["people"] });
  const linked = async (name: string) => {
    const { path } = await got(api.POST("/api/people/{username}/link", { params: { path: { username: name } } }));
    setLink({ name, url: location.origin + path });
  };
  const adding = useForm(async ({ username, role }) => {
    await got(api.POST("/api/people", { body: { username, role: role as Person["role"] } }));
    await linked(username);
    await changed();
  });
  return (
    <>
      <Heading>New person</Heading>
      <form onSubmit={adding.submit} className="flex flex-wrap items-end gap-2">
        <Labelled label="User name">
          <Input name="username" required maxLength={64} pattern="[\w.@+\-]+" autoComplete="off" />
        </Labelled>
        <Labelled label="Role">
          <Choice name="role" defaultValue="technician">
            {ROLES.map((role) => (
              <option key={role}>{role}</option>
            ))}
          </Choice>
        </Labelled>
        <Button type="submit" disabled={adding.busy}>
          Add, with a one-time link
        </Button>
      </form>
      {adding.problem && <Trouble problem={adding.problem} />}
      {link && (
        <div role="status" className="mt-2 rounded-[3px] bg-woad-wash px-3 py-2 text-[13px]">
          <p className="mb-1 font-medium text-woad">Give {link.name} this link. It works once, and says who comes in.</p>
          <Mono className="break-all">{link.url}</Mono>
        </div>
      )}
      <Heading>Everybody</Heading>
      {people.isPending && <Waiting>Reading the list …</Waiting>}
      {people.error && <Trouble problem={asProblem(people.error)} />}
      <ul>
        {(people.data ?? []).map((one) => (
          <Row key={one.id} one={one} self={one.id === me.id} changed={() => void changed()} link={() => void linked(one.username).catch(tellProblem)} />
        ))}
      </ul>
    </>
  );
}

function Row({ one, self, changed, link }: { one: Person; self: boolean; changed: () => void; link: () => void }) {
  const path = { params: { path: { id: one.id } } };
  const act = (asked: Promise<unknown>) => void asked.catch(tellProblem).finally(changed);
  const change = (body: Schemas["PatchedEditPersonRequest"]) => act(got(api.PATCH("/api/people/{id}", { ...path, body })));
  return (
    <li className="flex flex-wrap items-center gap-2 border-b border-weave/70 py-1.5 text-[13px]">
      <span className="min-w-28 flex-1 truncate">
        <span className="font-medium">{one.username}</span> {self && <span className="text-soft">you</span>}{" "}
        {!one.active && <Tag tone="weld">may not sign in</Tag>} {one.second_factor && <Tag tone="woad">code</Tag>}
      </span>
      <Choice aria-label={`Role of ${one.username}`} value={one.role} onChange={(event) => change({ role: event.target.value as Person["role"] })}>
        {ROLES.map((role) => (
          <option key={role}>{role}</option>
        ))}
      </Choice>
      <Button disabled={!one.active} onClick={link}>
        One-time link
      </Button>
      {one.second_factor && !self && <Button onClick={() => change({ second_factor: false })}>Take the code away</Button>}
      {!self && <Button onClick={() => act(got(api.DELETE("/api/people/{id}/sessions", path)))}>End sessions</Button>}
      {!self && (
        <Button look={one.active ? "plain" : "strong"} onClick={() => change({ active: !one.active })}>
          {one.active ? "Disable" : "Enable"}
        </Button>
      )}
    </li>
  );
}
