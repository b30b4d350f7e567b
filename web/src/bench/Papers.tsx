import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, asProblem, got, type Paper } from "../api/client";
import { papersQuery } from "../api/queries";
import { tellProblem } from "../api/work";
import { plural, size } from "../lib/words";
import { Button } from "../ui/Button";
import { Heading, Trouble, Waiting, When } from "../ui/parts";

type Kind = Paper["kind"];
const ASKED: Record<Kind, { make: string; says: string }> = {
  report: {
    make: "Make the settings report",
    says: "Address schedule, every setting with its approved and running value, the journal’s last hash; made for paper.",
  },
  schedule: {
    make: "Make the address schedule",
    says: "A zip with the planned addresses as a table, a hosts file, and reservations for dnsmasq and the ISC’s dhcpd. The table is read again as a list of expected devices.",
  },
  archive: { make: "Make an archive of all backups", says: "A BagIt bag with open JSON inside, sealed; Netloom checks and imports it." },
};

/** Papers of some kinds: made on the server while one goes on, kept, and handed out as files. */
export function Papers({ kinds, title = "Papers", rows = 8, children }: { kinds: Kind[]; title?: string; rows?: number; children?: ReactNode }) {
  const client = useQueryClient();
  const papers = useQuery(papersQuery);
  const make = useMutation({
    mutationFn: (kind: Kind) => got(api.POST("/api/papers", { body: { kind } })),
    onError: tellProblem,
    onSettled: () => client.invalidateQueries({ queryKey: ["papers"] }),
  });
  const ours = (papers.data ?? []).filter((paper) => kinds.includes(paper.kind));
  const making = new Set(ours.filter((paper) => paper.state === "making").map((paper) => paper.kind));
  return (
    <>
      <Heading>{title}</Heading>
      <div className="flex flex-wrap gap-2">
        {kinds.map((kind, index) => (
          <Button key={kind} look={index || children ? "plain" : "strong"} title={ASKED[kind].says} disabled={making.has(kind) || make.isPending} onClick={() => make.mutate(kind)}>
            {ASKED[kind].make}
          </Button>
        ))}
        {children}
      </div>
      {papers.error && <Trouble problem={asProblem(papers.error)} again={() => void papers.refetch()} />}
      {papers.data && !ours.length && <p className="mt-1.5 text-[12.5px] text-soft">{kinds.map((kind) => ASKED[kind].says).join(" ")}</p>}
      <ul className="mt-1">
        {ours.slice(0, rows).map((paper) => (
          <Row key={paper.id} paper={paper} />
        ))}
      </ul>
    </>
  );
}

function Row({ paper }: { paper: Paper }) {
  const file = `/api/papers/${paper.id}/file`;
  const inline = paper.kind === "report";
  return (
    <li className="border-b border-weave/70 py-1.5 text-[12.5px]">
      {paper.state === "making" && <Waiting>{paper.title}: being made …</Waiting>}
      {paper.state === "failed" && <Trouble problem={{ message: paper.message, hint: paper.try }} />}
      {paper.state === "ready" && (
        <div className="flex items-baseline gap-2">
          <span className="min-w-0 flex-1">
            <a href={file} {...(inline ? { target: "_blank", rel: "noreferrer" } : { download: paper.name })} className="font-medium text-indigo hover:underline">
              {inline ? `Open the ${paper.title.toLowerCase()}` : paper.title}
            </a>
            <span className="block text-soft">
              <When at={paper.made} /> by {paper.by} · {size(paper.bytes)} · SHA-256 <span className="font-mono text-[11.5px]">{paper.digest.slice(0, 12)}</span>
            </span>
          </span>
          {paper.since > 0 && <span className="text-weld" title="Entries of the journal that are not in it">{plural(paper.since, "entry", "entries")} since</span>}
        </div>
      )}
    </li>
  );
}
