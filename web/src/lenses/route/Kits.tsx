import { useQuery } from "@tanstack/react-query";
import clsx from "clsx";
import type { Device, Schemas } from "../../api/client";
import { select } from "../../lib/place";
import { Button } from "../../ui/Button";
import { Heading } from "../../ui/parts";
import { pathsQuery } from "./queries";

/** Both halves of each kit in one row: versions, the link between them, what goes over it. */
export function Kits({ chosen }: { chosen: Device[] }) {
  const { data } = useQuery(pathsQuery);
  const ids = new Set(chosen.map((device) => device.id));
  const mine = (data?.kits ?? []).filter((kit) => !chosen.length || ids.has(kit.sender.device) || ids.has(kit.receiver.device));
  if (!mine.length) return null;
  return (
    <section aria-label="Kits" className="mt-4 first:mt-0">
      <Heading>Kits</Heading>
      <table className="w-full text-[12.5px]">
        <thead>
          <tr className="text-left text-soft">
            <th className="font-normal">Sender</th>
            <th className="font-normal">Link</th>
            <th className="font-normal">Receiver</th>
          </tr>
        </thead>
        <tbody>
          {mine.map((kit) => (
            <tr key={`${kit.sender.device} ${kit.receiver.device}`} className="border-t border-weave/70 align-top">
              <td className="py-1">
                <Half half={kit.sender} unlike={kit.unlike} />
              </td>
              <td className={clsx("py-1", kit.linked === false && "text-madder")}>
                {kit.linked === null ? "not told yet" : kit.linked ? "is there" : kit.why}
                {kit.carries.length > 0 && <span className="block text-soft">also carries {kit.carries.join(" and ")}</span>}
                {kit.unlike && <span className="block text-madder">unlike versions</span>}
              </td>
              <td className="py-1">
                <Half half={kit.receiver} unlike={kit.unlike} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Half({ half, unlike }: { half: Schemas["KitHalf"]; unlike: boolean }) {
  return (
    <>
      <Button look="bare" className="!px-0 !py-0" onClick={() => select(half.device, "only")}>
        {half.name}
      </Button>
      <span className={clsx("block font-mono", unlike ? "text-madder" : "text-soft")}>
        {half.firmware || "version not told"}
        {half.quality && ` · ${half.quality}`}
      </span>
    </>
  );
}
