import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, got, type Line } from "../../api/client";
import { borrowedQuery } from "../../api/queries";
import { useChange } from "../../api/work";
import { openLine } from "../../lib/place";
import { Button } from "../../ui/Button";

/** What this computer has on the line's interface besides its own address, for how long, and its end. */
export function SecondAddress({ line, lines }: { line: Line; lines: Line[] }) {
  const client = useQueryClient();
  const { data: borrowed } = useQuery(borrowedQuery(line.id));
  const end = useChange(async () => {
    await got(api.DELETE("/api/lines/{ident}/second-address", { params: { path: { ident: line.id } } }));
    await client.invalidateQueries({ queryKey: ["borrowed", line.id] });
  });
  return (borrowed ?? []).map((one) => {
    const reaches = lines.find((other) => other.network === one.network && other.interface === one.interface);
    return (
      <p key={one.network} className="my-2 flex flex-wrap items-center gap-2 rounded-[3px] bg-indigo-wash px-2 py-1 text-[13px]">
        <span className="min-w-0 flex-1">
          This computer has <span className="font-mono text-[12.5px]">{one.address}</span> on {one.interface}, too, until {new Date(one.until * 1000).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })}.
        </span>
        {reaches && <Button onClick={() => openLine(reaches.id)}>Open {reaches.name}</Button>}
        <Button disabled={end.isPending} onClick={() => end.mutate(undefined)}>
          End it
        </Button>
      </p>
    );
  });
}
