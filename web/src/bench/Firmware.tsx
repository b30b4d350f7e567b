import { useQuery } from "@tanstack/react-query";
import clsx from "clsx";
import { useState } from "react";
import { toast } from "sonner";
import { api, asProblem, type Device, got, Problem, type Schemas, uploadTo } from "../api/client";
import { firmwareOfQuery, firmwareQuery } from "../api/queries";
import { useChange } from "../api/work";
import { ask } from "../lib/place";
import { plural, shown, size } from "../lib/words";
import { Button } from "../ui/Button";
import { Choice, Empty, Heading, Input, Labelled, Tag, Trouble, Waiting, When } from "../ui/parts";

type Kept = Schemas["FirmwareFile"];

const WORDS: Record<string, { tone: "weld" | "madder" | "woad" | "indigo"; words: string }> = {
  behind: { tone: "weld", words: "behind" },
  refused: { tone: "madder", words: "not to be used" },
  current: { tone: "woad", words: "current" },
  ahead: { tone: "indigo", words: "ahead" },
  mixed: { tone: "madder", words: "mixed kit" },
  "no-application": { tone: "madder", words: "no application" },
  unknown: { tone: "indigo", words: "not compared" },
};

/** One device against the library: in a line, with what to do about it. */
export function FirmwareLine({ device }: { device: Device }) {
  const { data } = useQuery(firmwareOfQuery(device));
  if (!data?.word || data.word === "current") return null;
  const { tone, words } = WORDS[data.word] ?? WORDS.unknown;
  const file = data.files.find((one) => one.version === data.current) ?? data.files[0];
  if (data.word === "unknown" && !file) return null;
  return (
    <p className="mt-1.5 flex flex-wrap items-baseline gap-x-2 text-[12.5px]">
      <Tag tone={tone}>{words}</Tag> <span className="text-soft">{data.why}</span>
      {file && data.word !== "ahead" && (
        <Button look="bare" className="!px-0 !py-0" onClick={() => ask({ kind: "firmware", devices: [device.id], file: file.id })}>
          Load firmware {file.version} …
        </Button>
      )}
    </p>
  );
}

/** The files that one device could be given; which one, and what its maker says of it. */
export function FirmwareOfDevice({ device }: { device: Device }) {
  const { data, error, refetch } = useQuery(firmwareOfQuery(device));
  const [chosen, setChosen] = useState("");
  if (error) return <Trouble problem={asProblem(error)} again={() => void refetch()} />;
  if (!data?.word) return null;
  const file = data.files.find((one) => one.id === chosen) ?? data.files.find((one) => one.version === data.current) ?? data.files[0];
  const { tone, words } = WORDS[data.word] ?? WORDS.unknown;
  return (
    <section aria-label="Firmware" className="mt-4">
      <Heading aside={<Tag tone={tone}>{words}</Tag>}>Firmware {device.firmware || "not known"}</Heading>
      {file ? (
        <>
          <div className="mt-1 flex flex-wrap items-end gap-2">
            <Labelled label="File">
              <Choice value={file.id} onChange={(event) => setChosen(event.target.value)}>
                {data.files.map((one) => (
                  <option key={one.id} value={one.id}>
                    {one.version} · {one.name}
                    {one.hardware.length > 0 && ` · hardware ${one.hardware.join(", ")}`}
                    {one.makes && ` · makes a ${one.makes} of it`}
                  </option>
                ))}
              </Choice>
            </Labelled>
            <Button onClick={() => ask({ kind: "firmware", devices: [device.id], file: file.id })}>Load it …</Button>
          </div>
          {file.notes && <p className="mt-1 text-[12.5px] whitespace-pre-line">{file.notes}</p>}
          {data.unplug && <p className="mt-1 text-[12.5px] text-soft">It must have power from the first byte until it is found again.</p>}
        </>
      ) : (
        <p className="text-[12.5px] text-soft">There is no file for it yet. Import one under Protect, with nothing selected.</p>
      )}
    </section>
  );
}

/** What was decided for the model that it was, before another application made another one of it. */
export function AsideOfDevice({ device }: { device: Device }) {
  const { data } = useQuery(firmwareOfQuery(device));
  const path = (ident: string) => ({ params: { path: { word: device.id, ident } } });
  const take = useChange(({ id, paths }: { id: string; paths: string[] }) => got(api.POST("/api/devices/{word}/aside/{ident}", { ...path(id), body: { paths } })));
  const drop = useChange((id: string) => got(api.DELETE("/api/devices/{word}/aside/{ident}", path(id))));
  return data?.aside.map((one) => {
    const fits = one.values.filter((value) => value.fits).map((value) => value.path);
    return (
      <section key={one.id} aria-label={`Decided for a ${one.model}`} className="mt-4">
        <Heading aside={<When at={one.at} />}>Decided while it was a {one.model}</Heading>
        <table className="text-[12.5px]">
          <tbody>
            {one.values.map((value) => (
              <tr key={value.path}>
                <td className="pr-4">{value.label}</td>
                <td className="pr-4 font-mono">{shown(value.value)}</td>
                <td className="text-soft">{value.fits ? "it has that now, too" : "nothing of the kind now"}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <div className="mt-1 flex flex-wrap gap-2">
          {fits.length > 0 && (
            <Button disabled={take.isPending} onClick={() => take.mutate({ id: one.id, paths: fits })}>
              Decide what fits again
            </Button>
          )}
          <Button disabled={drop.isPending} onClick={() => drop.mutate(one.id)}>
            It is not needed any more
          </Button>
        </div>
      </section>
    );
  });
}

/** All files that are kept. */
export function FirmwareLibrary() {
  const { data, error, isPending, refetch } = useQuery(firmwareQuery);
  const [problem, setProblem] = useState<Problem>();
  const [over, setOver] = useState(false);
  const take = useChange(async (files: File[]) => {
    setProblem(undefined);
    for (const file of files) {
      try {
        const told = await uploadTo<Schemas["FirmwareTaken"]>(`/api/firmware/import/${encodeURIComponent(file.name)}`, file);
        if (told.added.length) toast.success(`${plural(told.added.length, "file")} of ${file.name} added.`);
        for (const one of told.left) toast.warning(`${one.name} was left out: ${one.why}.`);
      } catch (error) {
        const { code, message, hint } = asProblem(error);
        setProblem(new Problem(code, `${file.name}: ${message}`, hint));
      }
    }
  });
  return (
    <section
      aria-label="Firmware files"
      className={clsx("mt-4", over && "outline-2 outline-dashed outline-indigo")}
      onDragOver={(event) => (event.preventDefault(), setOver(true))}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        take.mutate([...event.dataTransfer.files]);
      }}
    >
      <Heading aside={data && plural(data.files.length, "file")}>Firmware files</Heading>
      <label className="text-[13px] text-soft">
        Drop files here, or archives of them (zip, tar):
        <input
          type="file"
          multiple
          aria-label="Firmware files to import"
          className="mt-1 block text-[13px]"
          onChange={(event) => {
            const files = [...(event.target.files ?? [])];
            event.target.value = "";
            if (files.length) take.mutate(files);
          }}
        />
      </label>
      {take.isPending && <Waiting>Reading what was imported …</Waiting>}
      {isPending && <Waiting>Reading the library …</Waiting>}
      {problem && <Trouble problem={problem} />}
      {error && <Trouble problem={asProblem(error)} again={() => void refetch()} />}
      {data && !data.files.length && <Empty title="No firmware is kept yet.">Files are recognised by their header and name; nothing in them is executed.</Empty>}
      <ul>
        {data?.files.map((file) => <Row key={file.id} file={file} current={data.models.some((one) => one.profile === file.profile && one.current === file.version)} />)}
      </ul>
    </section>
  );
}

function Row({ file, current }: { file: Kept; current: boolean }) {
  const [open, setOpen] = useState(false);
  const path = { params: { path: { ident: file.id } } };
  const mark = useChange((body: Schemas["PatchedMarkRequest"]) => got(api.PATCH("/api/firmware/{ident}", { ...path, body })), () => setOpen(false));
  const remove = useChange(() => got(api.DELETE("/api/firmware/{ident}", path)));
  const [why, setWhy] = useState(file.refused);
  const [version, setVersion] = useState(file.version);
  const [dated, setDated] = useState(file.dated ?? "");
  const [supersedes, setSupersedes] = useState(file.supersedes);
  const said: Schemas["PatchedMarkRequest"] = {
    ...(why !== file.refused && { refused: why }),
    ...(version !== file.version && { version }),
    ...(dated !== (file.dated ?? "") && { dated: dated || null }),
    ...(supersedes !== file.supersedes && { supersedes }),
  };
  return (
    <li className="border-b border-weave/70 py-1 text-[12.5px]">
      <div className="flex flex-wrap items-baseline gap-x-2">
        <span className="font-mono">{file.version || "version not said"}</span>
        {current && !file.refused && <Tag tone="woad">current</Tag>}
        {file.refused && <Tag tone="madder">not to be used</Tag>}
        <span className="min-w-0 flex-1 truncate">
          {file.model || <span className="text-weld">fits no model known here</span>} <span className="text-soft">{file.name}</span>
        </span>
        <span className="text-soft">{size(file.size)}</span>
        <Button look="bare" className="!py-0" aria-expanded={open} aria-label={`${open ? "Less" : "More"} of ${file.name}`} onClick={() => setOpen(!open)}>
          {open ? "Less" : "More"}
        </Button>
      </div>
      {file.refused && <p className="text-madder">{file.refused}</p>}
      {!file.there && <p className="text-madder">Its bytes are gone from the data folder: import it again.</p>}
      {open && (
        <div className="mt-1 mb-2 ml-3">
          <p className="text-soft">
            {file.code && `Product code ${file.code}. `}
            {file.hardware.length > 0 && `Hardware ${file.hardware.join(", ")}. `}
            SHA-256 <span className="font-mono">{file.digest.slice(0, 16)}…</span>
            {file.source && `, from ${file.source}`}, imported by {file.by} <When at={file.at} />.
          </p>
          {(file.dated || file.supersedes) && (
            <p className="text-soft">
              {file.dated && `Dated ${file.dated}. `}
              {file.supersedes && `It supersedes ${file.supersedes}.`}
            </p>
          )}
          {file.notes && <p className="whitespace-pre-line">{file.notes}</p>}
          <div className="mt-1 flex flex-wrap items-end gap-2">
            {!file.version && (
              <Labelled label="Version">
                <Input value={version} onChange={(event) => setVersion(event.target.value)} className="w-28" />
              </Labelled>
            )}
            <Labelled label="Why it is not to be used; empty where it may be">
              <Input value={why} maxLength={200} onChange={(event) => setWhy(event.target.value)} className="w-72" />
            </Labelled>
            <Labelled label="Dated">
              <Input type="date" value={dated} onChange={(event) => setDated(event.target.value)} className="w-36" />
            </Labelled>
            <Labelled label="It supersedes">
              <Input value={supersedes} maxLength={200} onChange={(event) => setSupersedes(event.target.value)} className="w-40" />
            </Labelled>
            <Button disabled={mark.isPending || !Object.keys(said).length} onClick={() => mark.mutate(said)}>
              Keep this
            </Button>
            <Button disabled={remove.isPending} onClick={() => remove.mutate(undefined)}>
              Remove the file
            </Button>
          </div>
        </div>
      )}
    </li>
  );
}
