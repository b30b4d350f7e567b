import { useQuery } from "@tanstack/react-query";
import clsx from "clsx";
import { useState } from "react";
import { asProblem, type Backup, upload } from "../../api/client";
import { backupsQuery, compareQuery } from "../../api/queries";
import { useBegin, useChange } from "../../api/work";
import { AsideOfDevice, FirmwareLibrary, FirmwareOfDevice } from "../../bench/Firmware";
import { Papers } from "../../bench/Papers";
import type { BenchProps } from "../lens";
import { isFitted } from "../../lib/knots";
import { ask } from "../../lib/place";
import { plural, shown } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Empty, Heading, Tag, Trouble, Waiting, When } from "../../ui/parts";
import { toast } from "sonner";

const LISTED = 200;

/** Protect: back up, list, compare two, restore, take archives out and in. */
export function ProtectBench({ chosen, devices, person }: BenchProps) {
  const backups = useQuery(backupsQuery);
  const begin = useBegin();
  const [pair, setPair] = useState<string[]>([]);
  const target = (chosen.length ? chosen : devices).filter((d) => d.taken_in && d.managed !== false && isFitted(d));
  const ids = target.map((d) => d.id);
  const lead = person.role === "lead";
  const shownBackups = (backups.data ?? []).filter((b) => !chosen.length || chosen.some((d) => d.id === b.device));
  const current = newestBaselines(backups.data ?? []);
  const toggle = (id: string) => setPair((now) => (now.includes(id) ? now.filter((one) => one !== id) : [...now.slice(-1), id]));
  return (
    <>
      <div className="flex flex-wrap gap-2">
        <Button look="strong" disabled={!ids.length} onClick={() => begin.mutate({ kind: "backup", devices: ids })}>
          Back up {plural(ids.length, "device")}
        </Button>
        {lead && (
          <Button disabled={!ids.length} title="The approved record that Prove compares with" onClick={() => begin.mutate({ kind: "backup", devices: ids, baseline: true })}>
            Back up as baseline
          </Button>
        )}
      </div>
      {chosen.length === 1 && <FirmwareOfDevice key={chosen[0].id} device={chosen[0]} />}
      {chosen.length === 1 && <AsideOfDevice device={chosen[0]} />}
      {!chosen.length && <FirmwareLibrary />}
      <Archives lead={lead} />
      <Heading aside={pair.length === 1 ? "choose a second one to compare" : undefined}>Backups</Heading>
      {backups.isPending && <Waiting>Reading the backup store …</Waiting>}
      {backups.error && <Trouble problem={asProblem(backups.error)} again={() => void backups.refetch()} />}
      {pair.length === 2 && <Comparison first={pair[0]} second={pair[1]} close={() => setPair([])} />}
      {backups.data && !shownBackups.length && (
        <Empty title="No backup of this yet.">A backup keeps what a device does and what it will do after a power cut.</Empty>
      )}
      <ul>
        {shownBackups.slice(0, LISTED).map((backup) => (
          <Row key={backup.id} backup={backup} current={current.has(backup.id)} picked={pair.includes(backup.id)} toggle={() => toggle(backup.id)} />
        ))}
      </ul>
    </>
  );
}

/** Ids of the baselines in force: of each device the newest; the list is newest first. */
function newestBaselines(backups: Backup[]): Set<string> {
  const byDevice = new Map<string, string>();
  for (const one of backups) if (one.baseline && one.device && !byDevice.has(one.device)) byDevice.set(one.device, one.id);
  return new Set(byDevice.values());
}

function Row({ backup, current, picked, toggle }: { backup: Backup; current: boolean; picked: boolean; toggle: () => void }) {
  return (
    <li className={clsx("flex items-center gap-2 border-b border-weave/70 py-1 text-[12.5px]", picked && "bg-indigo-wash")}>
      <input type="checkbox" checked={picked} onChange={toggle} aria-label={`Compare the backup of ${backup.name}`} className="accent-indigo" />
      <span className="min-w-0 flex-1">
        <span className="font-medium">{backup.name}</span> {current && <Tag tone="woad">baseline</Tag>}{" "}
        {backup.baseline && !current && <span className="text-soft">earlier baseline</span>}{" "}
        {backup.unkept && <Tag tone="weld">has unkept values</Tag>}
        {backup.word !== "whole" && <Tag tone="madder">{backup.holes.length} not read</Tag>}
        <span className="block truncate text-soft">
          <When at={backup.taken} /> by {backup.by} · <span className="font-mono text-[11.5px]">{backup.digest.slice(0, 12)}</span>
          {backup.label && ` · ${backup.label}`}
        </span>
      </span>
      {backup.device && (
        <Button onClick={() => ask({ kind: "restore", devices: [backup.device!], backup: backup.id })}>Restore …</Button>
      )}
    </li>
  );
}

function Comparison({ first, second, close }: { first: string; second: string; close: () => void }) {
  const compared = useQuery(compareQuery(first, second));
  if (compared.error) return <Trouble problem={asProblem(compared.error)} />;
  if (!compared.data) return <Waiting>Comparing …</Waiting>;
  const { differences } = compared.data;
  return (
    <div className="mb-2 rounded-[3px] border border-warp p-2 text-[12.5px]">
      <div className="flex items-center justify-between">
        <p className="font-semibold">{differences.length ? `${plural(differences.length, "value")} differ` : "They are equal"}</p>
        <Button look="bare" onClick={close}>
          Close
        </Button>
      </div>
      <table className="w-full">
        <thead>
          <tr className="text-left text-soft">
            <th className="font-normal">Path</th>
            <th className="font-normal">
              {compared.data.first.name}, <When at={compared.data.first.taken} />
            </th>
            <th className="font-normal">
              {compared.data.second.name}, <When at={compared.data.second.taken} />
            </th>
          </tr>
        </thead>
        <tbody className="font-mono text-[12px]">
          {differences.map((one) => (
            <tr key={one.path} className="border-t border-weave">
              <td className="pr-2">{one.path}</td>
              <td className="pr-2">{shown(one.first)}</td>
              <td>{shown(one.second)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Archives({ lead }: { lead: boolean }) {
  const take = useChange(async ({ file, what }: { file: File; what: "import" | "check" }) => {
    const done = await upload(`/api/backups/${what}/archive.zip`, file);
    toast.success(
      what === "check"
        ? `The archive is whole: ${plural(done.backups, "backup")} of ${done.installation}.`
        : `${done.added} of ${plural(done.backups, "backup")} were new and are here now.`,
    );
  });
  const chooser = (what: "import" | "check", name: string) => (
    <label className="relative inline-flex cursor-pointer items-center rounded-[3px] border border-warp bg-cloth px-2.5 py-1 text-[13px] font-medium focus-within:outline-2 focus-within:outline-indigo hover:border-indigo hover:text-indigo">
      {name}
      <input
        type="file"
        accept=".zip"
        className="sr-only"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) take.mutate({ file, what });
          event.target.value = "";
        }}
      />
    </label>
  );
  return (
    <Papers kinds={["archive"]} title="Archives" rows={2}>
      {chooser("check", "Check an archive")}
      {lead && chooser("import", "Import an archive")}
    </Papers>
  );
}
