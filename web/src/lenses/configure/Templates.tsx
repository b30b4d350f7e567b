import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, asProblem, got, type Problem, type Schemas, type Setting, type WholeDevice } from "../../api/client";
import { templatesQuery } from "../../api/queries";
import { useChange } from "../../api/work";
import { whenCalm } from "../../lib/calm";
import { select } from "../../lib/place";
import { plural, shown } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Heading, Input, Labelled, Trouble } from "../../ui/parts";

type Template = Schemas["Template"];

const CALM_MS = 700;
const SHOWN = 5;
const mayBeIn = (s: Setting) => s.type !== "secret" && !s.reserved && s.role !== "address" && s.role !== "password" && (s.intended !== null || s.running !== null);

interface Props {
  devices: WholeDevice[];
  /** Those in view: what a new template is made of. */
  settings: Setting[];
}

/** Named parts of a document for these devices: decided for others, and where they no longer hold. */
export function Templates({ devices, settings }: Props) {
  const { data, error, refetch } = useQuery(templatesQuery);
  const [making, setMaking] = useState(false);
  useEffect(() => whenCalm(() => void refetch(), CALM_MS), [devices, refetch]);
  const profile = devices[0].profile;
  const alike = devices.every((d) => d.profile === profile);
  const single = devices.length === 1 ? devices[0] : undefined;
  const fit = settings.filter(mayBeIn);
  const list = (data ?? []).filter((one) => alike && one.profile === profile);
  if (error && !data) return <Trouble problem={asProblem(error)} again={() => void refetch()} />;
  if (!list.length && !(single && fit.length)) return null;
  return (
    <section aria-label="Templates" className="mt-4">
      <Heading
        aside={
          single &&
          !making &&
          fit.length > 0 && (
            <Button look="bare" title="What is in view becomes a part that others can be given" onClick={() => setMaking(true)}>
              Keep {plural(fit.length, "value")} in view as one
            </Button>
          )
        }
      >
        Templates
      </Heading>
      {single && making && <Make device={single} settings={fit} close={() => setMaking(false)} />}
      {!list.length && !making && <p className="text-[12.5px] text-soft">None for this model yet. Search above for what is to be in it, then keep that.</p>}
      <ul>
        {list.map((one) => (
          <One key={one.id} template={one} devices={devices} />
        ))}
      </ul>
    </section>
  );
}

function One({ template, devices }: { template: Template; devices: WholeDevice[] }) {
  const [open, setOpen] = useState(false);
  const versions = Object.fromEntries(devices.map((d) => [d.id, d.version]));
  const apply = useChange(() => got(api.POST("/api/templates/{ident}/apply", { params: { path: { ident: String(template.id) } }, body: { devices: devices.map((d) => d.id), versions } })));
  const forget = useChange(() => got(api.DELETE("/api/templates/{ident}", { params: { path: { ident: String(template.id) } } })));
  const count = (state: string) => template.uses.filter((use) => use.state === state).length;
  const off = template.uses.filter((use) => use.state === "differs" || use.state === "gone");
  const words = [count("holds") ? `holds on ${count("holds")}` : "", count("waits") ? `waits to be written on ${count("waits")}` : "", off.length ? `no longer holds on ${off.length}` : ""].filter(Boolean).join(", ");
  return (
    <li className="border-t border-weave py-1.5 text-[13px] first:border-t-0">
      <div className="flex flex-wrap items-baseline gap-x-2 gap-y-1">
        <button type="button" aria-expanded={open} onClick={() => setOpen(!open)} className="font-medium hover:underline">
          {template.name}
        </button>
        <span className="text-soft">{plural(template.values.length, "value")}</span>
        <span className={off.length ? "text-weld" : "text-soft"}>{words || "applied to nobody yet"}</span>
        <Button className="ml-auto" disabled={apply.isPending} onClick={() => apply.mutate(undefined)}>
          Decide it for {plural(devices.length, "device")}
        </Button>
      </div>
      {off.slice(0, open ? undefined : SHOWN).map((use) => (
        <p key={use.device} className="ml-3 text-[12.5px]">
          <button type="button" className="font-medium hover:underline" onClick={() => select(use.device, "only")}>
            {use.name}
          </button>{" "}
          <span className="text-soft">{use.state === "gone" ? "is of another model now" : use.differs.map((d) => `${d.called}: ${shown(d.has)}, not ${shown(d.wanted)}`).join("; ")}</span>
        </p>
      ))}
      {open && (
        <>
          <dl className="mt-1 ml-3 grid grid-cols-[1fr_auto] gap-x-3 text-[12.5px]">
            {template.values.map((one) => (
              <div key={one.path} className="contents">
                <dt className="truncate text-soft">{one.called}</dt>
                <dd className="font-mono">{shown(one.value)}</dd>
              </div>
            ))}
          </dl>
          <p className="mt-1 ml-3 text-[12px] text-soft">
            By {template.made_by}.{" "}
            <Button look="bare" className="!px-0" disabled={forget.isPending} onClick={() => forget.mutate(undefined)}>
              Forget this template
            </Button>
            ; what was decided by it stays.
          </p>
        </>
      )}
    </li>
  );
}

/** Texts may have words that are filled in for each device. */
function Make({ device, settings, close }: { device: WholeDevice; settings: Setting[]; close: () => void }) {
  const [name, setName] = useState("");
  const [texts, setTexts] = useState<Record<string, string>>({});
  const [problem, setProblem] = useState<Problem>();
  const make = useChange(async () => {
    setProblem(undefined);
    try {
      await got(api.POST("/api/templates", { body: { name, device: device.id, paths: settings.map((s) => s.path), values: texts } }));
      close();
    } catch (error) {
      setProblem(asProblem(error));
    }
  });
  const written = settings.filter((s) => typeof (s.intended ?? s.running) === "string" && s.type === "text");
  return (
    <form
      className="mb-2 flex flex-col gap-2 rounded-[3px] border border-weave bg-ground/40 px-3 py-2 text-[13px]"
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate(undefined);
      }}
    >
      <Labelled label="Name of the template">
        <Input value={name} required maxLength={80} onChange={(event) => setName(event.target.value)} className="w-56" />
      </Labelled>
      {written.length > 0 && <p className="text-[12px] text-soft">{"In texts {n}, {nn}, {name}, {area} and {serial} are filled in for each device."}</p>}
      <div className="max-h-48 overflow-auto">
        {written.map((s) => (
          <label key={s.path} className="flex items-center justify-between gap-2 py-0.5 text-[12.5px]">
            <span className="truncate text-soft">{s.label}</span>
            <Input value={texts[s.path] ?? String(s.intended ?? s.running)} onChange={(event) => setTexts({ ...texts, [s.path]: event.target.value })} className="w-48 !py-0" />
          </label>
        ))}
      </div>
      {problem && <Trouble problem={problem} />}
      <div className="flex gap-2">
        <Button look="strong" type="submit" disabled={make.isPending}>
          Keep {plural(settings.length, "value")} as a template
        </Button>
        <Button onClick={close}>Leave it</Button>
      </div>
    </form>
  );
}
