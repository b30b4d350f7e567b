import clsx from "clsx";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Line, type Schemas } from "../../api/client";
import { devicesQuery, overviewQuery, sessionQuery } from "../../api/queries";
import { useBegin, useChange } from "../../api/work";
import { notKept, unkept } from "../../lib/leaving";
import { live } from "../../lib/live";
import { openConsole, place } from "../../lib/place";
import { useStore } from "../../lib/store";
import { kindOf, plural, whereOf } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Choice, Heading, Input, Labelled, Options } from "../../ui/parts";
import { Rename } from "../../ui/Rename";
import { useOrder } from "../../loom/useCarried";
import { AskWhy } from "./AskWhy";
import { PortOf } from "./PortOf";
import { Traffic } from "./Traffic";

/** One line: how it is looked along, what each method did last, its port, its access. */
export function LinePanel({ line }: { line: Line }) {
  const begin = useBegin();
  const rename = useChange((name: string) => got(api.PATCH("/api/lines/{ident}", { params: { path: { ident: line.id } }, body: { name } })));
  return (
    <section aria-label={`Line ${line.name}`}>
      <div className="mb-2 flex items-start justify-between gap-2 border-b border-weave pb-2">
        <div className="min-w-0">
          <h2 className="text-[17px] leading-tight font-semibold">
            <Rename
              key={line.id}
              name={line.name}
              label="Name of the line"
              className="block max-w-full truncate text-left hover:underline"
              save={(name) => rename.mutateAsync(name)}
            />
          </h2>
          <p className="text-[12.5px] text-soft">
            {kindOf(line)} · <span className="font-mono">{whereOf(line)}</span>
          </p>
        </div>
        <span className="flex gap-1">
          <Place line={line} />
          <Button look="bare" onClick={() => place.set({ line: "" })}>
            All lines
          </Button>
        </span>
      </div>
      <div className="flex flex-wrap gap-2">
        <Button look="strong" disabled={begin.isPending} onClick={() => begin.mutate({ kind: "sweep", lines: [line.id] })}>
          Sweep this line
        </Button>
        {line.kind === "serial" && <Button onClick={() => openConsole({ line: line.id })}>Open a console</Button>}
      </div>
      {/* Below the buttons: what comes and goes by itself moves none of them from under a pointer. */}
      {line.holder && <p className="mt-2 text-[13px] text-soft">In use: {line.holder} has the line.</p>}
      {line.trouble && <p className="mt-2 text-[13px] text-madder">{line.trouble}</p>}
      {line.note && <p className="mt-2 text-[13px] text-weld">{line.note}</p>}
      <Methods line={line} />
      {line.kind === "ip" && <AskWhy line={line} />}
      {line.kind === "ip" && <Access line={line} />}
      {line.kind === "serial" && <PortOf key={`port ${line.id}`} line={line} />}
      {line.kind === "serial" && <Traffic key={line.id} line={line} />}
      <Away line={line} />
    </section>
  );
}

/** Where it stands on the loom: one place to the left or right. Its head can be carried, too. */
function Place({ line }: { line: Line }) {
  const { data: overview } = useQuery(overviewQuery);
  const put = useOrder();
  const order = overview?.lines.map((one) => one.id) ?? [];
  const at = order.indexOf(line.id);
  const to = (where: number, words: string, sign: string) => (
    <Button look="bare" aria-label={words} title={words} disabled={!order[where]} className="!px-1" onClick={() => put(line.id, order[where])}>
      {sign}
    </Button>
  );
  return (
    <>
      {to(at - 1, "One place to the left on the loom", "←")}
      {to(at + 1, "One place to the right on the loom", "→")}
    </>
  );
}

/** Another one's part, or gone: what of it would lose its place is named before. */
function Away({ line }: { line: Line }) {
  const { data: session } = useQuery(sessionQuery);
  const { data: overview } = useQuery(overviewQuery);
  const devices = (useQuery(devicesQuery).data ?? []).filter((d) => d.addresses[0]?.line_id === line.id);
  const [into, setInto] = useState("");
  const [sure, setSure] = useState(false);
  const gone = () => place.set({ line: into });
  const merge = useChange(() => got(api.POST("/api/lines/{ident}/merge", { params: { path: { ident: line.id } }, body: { into } })), gone);
  const archive = useChange(
    () => got(api.PATCH("/api/lines/{ident}", { params: { path: { ident: line.id } }, body: { archived: true } })),
    () => place.set({ line: "", selected: new Set() }),
  );
  const remove = useChange(() => got(api.DELETE("/api/lines/{ident}", { params: { path: { ident: line.id } } })), gone);
  if (session?.role !== "lead") return null;
  const mine = devices.filter((d) => d.taken_in);
  const lost = unkept(mine);
  const others = overview?.lines.filter((one) => one.kind === line.kind && one.id !== line.id && line.kind !== "behind") ?? [];
  return (
    <>
      <Heading>Merge, archive or remove</Heading>
      {lost.length > 0 && <p className="mb-2 text-[12.5px] text-weld">{notKept(lost)}</p>}
      <div className="flex flex-wrap items-end gap-2">
        {others.length > 0 && (
          <>
            <Labelled label="Its devices and all that is known go to">
              <Choice value={into} onChange={(event) => setInto(event.target.value)}>
                <option value="">choose a line</option>
                <Options of={others} />
              </Choice>
            </Labelled>
            <Button disabled={!into || merge.isPending} onClick={() => merge.mutate(undefined)}>
              Merge {plural(devices.length, "device")} into it
            </Button>
          </>
        )}
        <Button disabled={archive.isPending} onClick={() => archive.mutate(undefined)}>
          Archive it{mine.length > 0 && ` with ${plural(mine.length, "device")}`}
        </Button>
        {sure ? (
          <Button look="grave" disabled={remove.isPending} onClick={() => remove.mutate(undefined)}>
            Remove {line.name}
            {devices.length > 0 && ` and ${plural(devices.length, "stranger")}`}
          </Button>
        ) : (
          <Button disabled={mine.length > 0} onClick={() => setSure(true)}>
            Remove this line …
          </Button>
        )}
      </div>
      <p className="mt-1 text-[12px] text-soft">Archived, nothing is lost and nothing goes out on it; it stands nowhere until somebody brings it back.</p>
      {mine.length > 0 && <p className="mt-1 text-[12px] text-soft">{plural(mine.length, "device")} of the installation would lose {mine.length === 1 ? "its" : "their"} place: it cannot be removed.</p>}
      {others.length > 0 && <p className="mt-1 text-[12px] text-soft">No device is told anything when lines are merged; logins of this line go along where the other has none.</p>}
    </>
  );
}

const STATES: Record<string, string> = { done: "", cut: "cut off", failed: "failed", stopped: "stopped", running: "going on" };

function Methods({ line }: { line: Line }) {
  const progress = useStore(live, (l) => (l.going ? l.progress[line.id] : undefined));
  const edit = useChange((off: string[]) => got(api.PATCH("/api/lines/{ident}", { params: { path: { ident: line.id } }, body: { off } })));
  const off = line.methods.filter((m) => !m.on).map((m) => m.name);
  const seconds = Math.max(0, ...line.methods.map((m) => m.seconds));
  return (
    <>
      <Heading aside={seconds ? `last sweep ${seconds} s` : "never swept"}>Methods</Heading>
      <table className="w-full text-[12.5px]">
        <thead>
          <tr className="text-left text-soft">
            <th className="w-6 font-normal" aria-label="On" />
            <th className="font-normal">Method</th>
            <th className="text-right font-normal">Took</th>
            <th className="pl-3 text-right font-normal">Sent</th>
            <th className="pl-3 text-right font-normal">Saw</th>
          </tr>
        </thead>
        <tbody>
          {line.methods.map((method) => {
            const now = progress?.[method.name];
            return (
              <tr key={method.name} className="align-top" title={`Needs: ${method.needs}\nSends: ${method.sends}`}>
                <td>
                  <input
                    type="checkbox"
                    aria-label={`${method.title} on ${line.name}`}
                    checked={method.on}
                    disabled={edit.isPending}
                    onChange={() => edit.mutate(method.on ? [...off, method.name] : off.filter((name) => name !== method.name))}
                  />
                </td>
                <td className={clsx("pr-2", !method.on && "text-soft line-through")}>
                  {method.title}
                  {(STATES[method.state] ?? "") && <span className="text-madder"> {STATES[method.state]}</span>}
                  {method.notes.map((note) => (
                    <span key={note} className="block text-[12px] text-soft">
                      {note}
                    </span>
                  ))}
                </td>
                <td className="text-right font-mono whitespace-nowrap">{now && now[0] < now[1] ? `${Math.round((100 * now[0]) / Math.max(1, now[1]))} %` : method.state ? `${method.seconds.toFixed(1)} s` : "–"}</td>
                <td className="pl-3 text-right font-mono">{method.state ? method.sent : "–"}</td>
                <td className="pl-3 text-right font-mono">{method.state ? method.seen : "–"}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <p className="mt-1 text-[12px] text-soft">At most {line.rate} packets a second on one line, all methods together. A sweep never writes.</p>
    </>
  );
}

type Access = Schemas["AccessRequest"];
type SnmpUser = NonNullable<Access["users"]>[number];

/** How sweeps may ask by SNMP and ONVIF; what is kept is never shown again. What is left empty stays as it is. */
function Access({ line }: { line: Line }) {
  const [open, setOpen] = useState(false);
  const save = useChange(
    (body: Access) => got(api.PUT("/api/lines/{ident}/access", { params: { path: { ident: line.id } }, body })),
    () => setOpen(false),
  );
  function keep(event: React.FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = Object.fromEntries(new FormData(event.currentTarget)) as Record<string, string>;
    const communities = form.communities.split(/[\s,]+/).filter(Boolean);
    const body: Access = {};
    if (communities.length) body.communities = communities;
    if (form.user)
      body.users = [{ name: form.user, auth: form.auth as SnmpUser["auth"], auth_key: form.auth_key, priv: form.priv as SnmpUser["priv"], priv_key: form.priv_key }];
    if (form.onvif) body.onvif = [{ name: form.onvif, password: form.onvif_password }];
    save.mutate(body);
  }
  const forget = useChange(
    () => got(api.DELETE("/api/lines/{ident}/access", { params: { path: { ident: line.id } } })),
    () => setOpen(false),
  );
  const { communities, users, onvif } = line.access;
  return (
    <>
      <Heading aside={<Button look="bare" onClick={() => setOpen(!open)}>{open ? "Leave it" : "Replace"}</Button>}>SNMP and ONVIF access</Heading>
      <p className="text-[12.5px] text-soft">
        {communities ? plural(communities, "community", "communities") : "The usual community"}
        {users.length > 0 && `; SNMPv3 as ${users.join(", ")}`}
        {onvif.length > 0 && `; ONVIF as ${onvif.join(", ")}`}. It is kept encrypted. Sweeps ask with it; devices without a login of their own are read and written with it.
      </p>
      {open && (
        <form onSubmit={keep} className="mt-2 flex flex-wrap items-end gap-2">
          <Labelled label="Communities">
            <Input name="communities" placeholder="public" autoComplete="off" className="w-44" />
          </Labelled>
          <Labelled label="SNMPv3 user">
            <Input name="user" autoComplete="off" className="w-32" />
          </Labelled>
          <Labelled label="Authentication">
            <Choice name="auth" defaultValue="SHA-256">
              {["", "MD5", "SHA", "SHA-224", "SHA-256", "SHA-384", "SHA-512"].map((one) => (
                <option key={one} value={one}>
                  {one || "none"}
                </option>
              ))}
            </Choice>
          </Labelled>
          <Labelled label="Its key">
            <Input name="auth_key" type="password" autoComplete="new-password" className="w-32" />
          </Labelled>
          <Labelled label="Privacy">
            <Choice name="priv" defaultValue="AES">
              <option value="">none</option>
              <option>AES</option>
              <option>AES-256</option>
              <option value="AES-256-R">AES-256, other key stretching</option>
            </Choice>
          </Labelled>
          <Labelled label="Its key">
            <Input name="priv_key" type="password" autoComplete="new-password" className="w-32" />
          </Labelled>
          <Labelled label="ONVIF user">
            <Input name="onvif" autoComplete="off" className="w-32" />
          </Labelled>
          <Labelled label="Its password">
            <Input name="onvif_password" type="password" autoComplete="new-password" className="w-32" />
          </Labelled>
          <Button type="submit" disabled={save.isPending}>
            Keep this access
          </Button>
          <Button type="button" look="bare" disabled={forget.isPending} onClick={() => forget.mutate()}>
            Back to the usual community
          </Button>
        </form>
      )}
    </>
  );
}
