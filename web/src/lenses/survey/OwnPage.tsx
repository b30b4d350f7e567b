import { ExternalLink } from "lucide-react";
import { useEffect, useState } from "react";
import type { WholeDevice } from "../../api/client";
import { useBegin } from "../../api/work";

const PAGES: [string, string][] = [
  ["443", "https://{host}/"],
  ["80", "http://{host}/"],
  ["8080", "http://{host}:8080/"],
  ["8443", "https://{host}:8443/"],
];

/** What the device serves itself. When somebody comes back from there it is read, since anything may have been changed. */
export function OwnPage({ device }: { device: WholeDevice }) {
  const begin = useBegin();
  const [left, setLeft] = useState(false);
  const mutate = begin.mutate;
  useEffect(() => {
    if (!left) return;
    const back = () => {
      setLeft(false);
      mutate({ kind: "read", devices: [device.id] });
    };
    window.addEventListener("focus", back);
    return () => window.removeEventListener("focus", back);
  }, [left, device.id, mutate]);
  const ports = String(device.facts.ports ?? "").split(" ");
  const page = PAGES.find(([port]) => ports.includes(port));
  const address = device.addresses[0]?.address ?? "";
  if (!page || !/^[\d.]+$/.test(address)) return null;
  return (
    <a
      href={page[1].replace("{host}", address)}
      target="_blank"
      rel="noreferrer noopener"
      className="inline-flex items-center gap-1 px-1 text-[12.5px] text-indigo hover:underline"
      title={`${page[1].replace("{host}", address)}: what it serves itself, with a sign-in of its own. When you come back it is read.`}
      onClick={() => device.taken_in && device.managed && setLeft(true)}
    >
      Its own page <ExternalLink size={11} />
    </a>
  );
}
