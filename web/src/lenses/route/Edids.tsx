import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, asProblem, type Device, got, type Problem, type Schemas } from "../../api/client";
import { ask } from "../../lib/place";
import { Button } from "../../ui/Button";
import { Over } from "../../ui/Over";
import { Choice, Heading, Input, Labelled, Tag, Trouble } from "../../ui/parts";
import { edidsAtQuery, edidsQuery } from "./queries";
import { useRoutingChange } from "./useRouting";

/** What each input shows a source, beside the displays behind it; another one is chosen, and written by a plan. */
export function EdidsAt({ device }: { device: Device }) {
  const { data } = useQuery(edidsAtQuery(device.id));
  const stored = useQuery(edidsQuery);
  const [seen, setSeen] = useState<{ title: string; edid: Schemas["Edid"] }>();
  const give = useRoutingChange(({ path, octets }: { path: string; octets: string }) => got(api.POST("/api/intended", { body: { changes: [{ device: device.id, path, value: octets, forget: false }], versions: {}, fill: false } })), () => ask({ kind: "apply", devices: [device.id] }));
  const keep = useRoutingChange(({ name, octets, origin }: { name: string; octets: string; origin: string }) => got(api.POST("/api/routing/edids", { body: { name, text: octets, origin } })));
  if (!data?.length) return null;
  const kept = stored.data ?? [];
  return (
    <section className="mt-4 first:mt-0" aria-label="EDIDs">
      <Heading>What sources are told (EDID)</Heading>
      <ul className="text-[12.5px]">
        {data.map((one) => (
          <li key={one.jack} className="border-b border-weave/60 py-1">
            <div className="flex flex-wrap items-center gap-x-2">
              <b className="font-medium">{one.label}</b>
              <span className="min-w-0 flex-1 text-soft">
                {one.edid ? (
                  <button type="button" className="underline decoration-dotted hover:text-indigo" onClick={() => setSeen({ title: `EDID at ${one.label}`, edid: one.edid! })}>
                    {one.edid.name || one.edid.maker}: a source picks {one.edid.picks || "nothing"}
                  </button>
                ) : (
                  "its own, as it came from the works"
                )}
              </span>
              <Choice
                aria-label={`EDID for ${one.label}`}
                value=""
                disabled={give.isPending}
                className="!py-0"
                onChange={(event) => event.target.value && give.mutate({ path: one.path, octets: event.target.value === "none" ? "" : event.target.value })}
              >
                <option value="">give it …</option>
                {one.displays.filter((d) => d.edid).map((d) => (
                  <option key={d.name} value={d.edid!.octets}>
                    that of {d.name}
                  </option>
                ))}
                {kept.map((e) => (
                  <option key={e.id} value={e.octets}>
                    {e.name}
                  </option>
                ))}
                {one.edid && <option value="none">its own again</option>}
              </Choice>
            </div>
            {one.displays.length > 0 && (
              <p className="text-soft">
                Reaches{" "}
                {one.displays.map((d, index) => (
                  <span key={d.name}>
                    {index > 0 && ", "}
                    {d.edid ? (
                      <button type="button" className="underline decoration-dotted hover:text-indigo" onClick={() => setSeen({ title: `EDID of ${d.name}`, edid: d.edid! })}>
                        {d.name}
                      </button>
                    ) : (
                      d.name
                    )}
                  </span>
                ))}
              </p>
            )}
            {one.in_vain.map((text) => (
              <p key={text} className="text-weld">
                {text}.
              </p>
            ))}
          </li>
        ))}
      </ul>
      {seen && <WholeEdid title={seen.title} edid={seen.edid} keep={(name) => keep.mutate({ name, octets: seen.edid.octets, origin: seen.title })} close={() => setSeen(undefined)} />}
    </section>
  );
}

/** EDIDs that are kept: looked at, taken in from a file, forgotten. */
export function StoredEdids() {
  const { data } = useQuery(edidsQuery);
  const [seen, setSeen] = useState<{ title: string; edid: Schemas["Edid"] }>();
  const [problem, setProblem] = useState<Problem>();
  const keep = useRoutingChange(({ name, octets, origin }: { name: string; octets: string; origin: string }) => got(api.POST("/api/routing/edids", { body: { name, text: octets, origin } })), () => setSeen(undefined));
  const drop = useRoutingChange((id: string) => got(api.DELETE("/api/routing/edids/{ident}", { params: { path: { ident: id } } })));
  const read = async (file: File) => {
    setProblem(undefined);
    try {
      const bytes = new Uint8Array(await file.slice(0, 70_000).arrayBuffer());
      const text = bytes[0] === 0 ? [...bytes].map((b) => b.toString(16).padStart(2, "0")).join("") : new TextDecoder().decode(bytes);
      setSeen({ title: file.name, edid: await got(api.POST("/api/routing/edids/read", { body: { text } })) });
    } catch (error) {
      setProblem(asProblem(error));
    }
  };
  const look = async (one: Schemas["StoredEdid"]) => setSeen({ title: one.name, edid: await got(api.GET("/api/routing/edids/{ident}", { params: { path: { ident: one.id } } })) });
  return (
    <section className="mt-4 first:mt-0" aria-label="Kept EDIDs">
      <Heading
        aside={
          <label className="relative cursor-pointer font-medium text-soft hover:text-ink">
            Read a file …
            <input type="file" aria-label="EDID file" className="sr-only" onChange={(event) => (event.target.files?.[0] && void read(event.target.files[0]), (event.target.value = ""))} />
          </label>
        }
      >
        Kept EDIDs
      </Heading>
      {problem && <Trouble problem={problem} />}
      {data && !data.length && <p className="text-[12.5px] text-soft">None is kept. Read one from a file, or look at that of a display and keep it.</p>}
      <ul className="text-[12.5px]">
        {data?.map((one) => (
          <li key={one.id} className="flex items-center gap-2 border-b border-weave/60 py-0.5">
            <button type="button" className="min-w-0 flex-1 truncate text-left hover:text-indigo" onClick={() => void look(one)}>
              <b className="font-medium">{one.name}</b> <span className="text-soft">{one.octets.length / 2} bytes{one.origin && `, from ${one.origin}`}</span>
            </button>
            <Button look="bare" className="!py-0" disabled={drop.isPending} onClick={() => drop.mutate(one.id)}>
              Forget it
            </Button>
          </li>
        ))}
      </ul>
      {seen && <WholeEdid title={seen.title} edid={seen.edid} keep={data?.some((one) => one.name === seen.title) ? undefined : (name) => keep.mutate({ name, octets: seen.edid.octets, origin: seen.title })} close={() => setSeen(undefined)} />}
    </section>
  );
}

const TONES: Record<string, "madder" | "weld" | "woad"> = { error: "madder", warning: "weld", note: "woad" };

/** All that one says, what is wrong with it first. */
function WholeEdid({ title, edid, keep, close }: { title: string; edid: Schemas["Edid"]; keep?: (name: string) => void; close: () => void }) {
  const [name, setName] = useState(edid.name);
  const facts: [string, string][] = [
    ["Display", [edid.maker, edid.name, edid.serial, edid.made].filter(Boolean).join(" ")],
    ["By", `EDID ${edid.version}, ${edid.interface}`],
    ["HDMI", edid.hdmi],
    ["Colour", [edid.depths.length ? `${edid.depths.join(", ")} bits` : "", ...edid.colours].filter(Boolean).join(", ")],
    ["HDR", edid.hdr],
    ["Sound", edid.sounds.join("; ")],
    ["Blocks", edid.blocks.join(", ")],
  ];
  return (
    <Over title={title} note={edid.picks ? `A source picks ${edid.picks}: ${edid.because}.` : "No source finds a mode in it."} wide close={close}>
      <div className="overflow-auto px-4 py-3 text-[13px]">
        {edid.findings.map((one) => (
          <p key={one.message} className="mb-1 flex gap-2">
            <Tag tone={TONES[one.severity] ?? "woad"}>{one.severity}</Tag> {one.message}
          </p>
        ))}
        <dl className="grid grid-cols-[5rem_1fr] gap-x-3 gap-y-0.5">
          {facts
            .filter(([, value]) => value)
            .map(([label, value]) => (
              <div key={label} className="contents">
                <dt className="text-soft">{label}</dt>
                <dd>{value}</dd>
              </div>
            ))}
        </dl>
        <h4 className="mt-3 mb-1 text-[12.5px] font-semibold">Modes, as a source takes them</h4>
        <table className="w-full text-[12.5px]">
          <tbody>
            {edid.modes.map((mode, index) => (
              <tr key={`${mode.label} ${index}`} className="border-b border-weave/60">
                <td className="font-mono">{mode.label}</td>
                <td className="text-right font-mono text-soft">{mode.clock_mhz ? `${mode.clock_mhz} MHz` : ""}</td>
                <td className="pl-3 text-soft">
                  {mode.said_by}
                  {mode.only_420 && ", in 4:2:0 only"}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {keep && (
        <form
          className="flex items-end gap-2 border-t border-weave px-4 py-2"
          onSubmit={(event) => {
            event.preventDefault();
            keep(name);
          }}
        >
          <Labelled label="Keep it as">
            <Input aria-label="Name of the EDID" maxLength={80} value={name} onChange={(event) => setName(event.target.value)} />
          </Labelled>
          <Button type="submit" disabled={!name.trim()}>
            Keep it
          </Button>
        </form>
      )}
    </Over>
  );
}
