import clsx from "clsx";
import { useState } from "react";
import { api, type Device, got, type Line, type Schemas } from "../../api/client";
import { useChange } from "../../api/work";
import { addressNumber, shortAddress } from "../../lib/knots";
import { select } from "../../lib/place";
import { bounds, type Cell, cellsOf, goesTo, PAGE, placeAt } from "../../lib/places";
import { kindOf } from "../../lib/words";
import { Choice } from "../../ui/parts";

const ACROSS = 32;
const CELL = 15;
const ROW = 16;
const LEFT = 34;

interface Props {
  line: Line;
  areas: Schemas["Area"][];
  devices: Device[];
  /** Those that stand out. */
  chosen: Device[];
}

/** The places of a line as a grid: what each is kept for, who has it, who is to come. A device is carried to another place here. */
export function PlacePicture({ line, areas, devices, chosen }: Props) {
  const ends = bounds(line);
  const mine = chosen.flatMap((d) => d.addresses.find((p) => p.line_id === line.id)?.address ?? []);
  const [page, setPage] = useState<number>();
  const [carried, setCarried] = useState("");
  const [over, setOver] = useState<Cell>();
  const plan = useChange((assignments: { device: string; address: string }[]) => got(api.POST("/api/addresses", { body: { assignments } })));
  if (!ends) return null;
  const pages = Math.ceil((ends[1] - ends[0] + 1) / PAGE);
  const usual = mine.length ? Math.floor((Math.floor(addressNumber(mine[0])) - ends[0]) / PAGE) : 0;
  const at = Math.min(Math.max(page ?? usual, 0), pages - 1);
  const first = ends[0] + at * PAGE;
  const cells = cellsOf(line, devices, first, new Map(areas.map((area) => [String(area.id), area.name])));
  const taken = cells.filter((cell) => cell.here.length || cell.coming.length).length;
  const marked = new Set(chosen.map((d) => d.id));
  const spot = (address: string) => {
    const n = Math.floor(addressNumber(address)) - first;
    return n < 0 || n >= cells.length ? undefined : { x: LEFT + (n % ACROSS) * CELL + CELL / 2, y: Math.floor(n / ACROSS) * ROW + CELL / 2 };
  };
  const ways = cells.flatMap((cell) => cell.here.flatMap((device) => {
    const [from, to] = [spot(cell.address), spot(goesTo(device, line.id))];
    return from && to ? [{ id: device.id, from, to }] : [];
  }));
  const letGo = (cell: Cell) => {
    if (carried && !cell.here.length) plan.mutate([{ device: carried, address: cell.address }]);
    setCarried("");
  };
  return (
    <div className="mb-3">
      <p className="mb-1 flex items-baseline justify-between gap-2 text-[12px] text-soft">
        <span className="font-semibold text-ink">{line.name}</span>
        <span className="truncate">{over ? told(over) : line.kind === "ip" ? line.network : kindOf(line)}</span>
        {pages > 1 && (
          <Choice aria-label={`Places of ${line.name} in view`} value={at} onChange={(event) => setPage(Number(event.target.value))} className="!py-0 font-mono !text-[12px]">
            {Array.from({ length: pages }, (_, n) => (
              <option key={n} value={n}>
                {placeAt(line, ends[0] + n * PAGE)} on
              </option>
            ))}
          </Choice>
        )}
      </p>
      <svg
        role="img"
        aria-label={`Places of ${line.name}: ${taken} taken or planned`}
        viewBox={`0 0 ${LEFT + ACROSS * CELL} ${Math.ceil(cells.length / ACROSS) * ROW}`}
        className={clsx("w-full select-none", carried && "cursor-grabbing")}
        onPointerLeave={() => (setOver(undefined), setCarried(""))}
      >
        <Hatched />
        {Array.from({ length: Math.ceil(cells.length / ACROSS) }, (_, row) => (
          <text key={row} x={LEFT - 5} y={row * ROW + 11} textAnchor="end" className="fill-soft font-mono text-[10px]">
            {shortAddress(cells[row * ACROSS].address)}
          </text>
        ))}
        {cells.map((cell, n) => (
          <Drawn
            key={cell.address}
            cell={cell}
            x={LEFT + (n % ACROSS) * CELL}
            y={Math.floor(n / ACROSS) * ROW}
            marked={[...cell.here, ...cell.coming].some((d) => marked.has(d.id))}
            over={() => setOver(cell)}
            take={() => cell.here.length === 1 && cell.here[0].taken_in && setCarried(cell.here[0].id)}
            letGo={() => letGo(cell)}
          />
        ))}
        {ways.map((way) => (
          <path key={way.id} d={`M ${way.from.x} ${way.from.y} L ${way.to.x} ${way.to.y}`} className="pointer-events-none stroke-weld" strokeWidth="1.4" strokeDasharray="4 2" />
        ))}
      </svg>
    </div>
  );
}

const told = (cell: Cell): string =>
  [
    cell.address,
    cell.here.map((d) => d.name).join(" and ") || (cell.coming.length ? "" : cell.said ? "" : "free"),
    cell.coming.length ? `planned for ${cell.coming.map((d) => d.name).join(" and ")}` : "",
    cell.said,
  ]
    .filter(Boolean)
    .join(" · ");

function Hatched() {
  return (
    <defs>
      <pattern id="pool" width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <rect width="4" height="4" className="fill-weave/50" />
        <rect width="1.4" height="4" className="fill-warp" />
      </pattern>
    </defs>
  );
}

const ZONES: Record<Cell["zone"], string> = {
  "": "fill-weave/70",
  range: "fill-woad-wash",
  reserved: "fill-weave/30 stroke-warp",
  gateway: "fill-weave/30 stroke-warp",
  own: "fill-indigo-wash stroke-indigo",
  none: "fill-transparent",
  pool: "",
};

interface DrawnProps {
  cell: Cell;
  x: number;
  y: number;
  marked: boolean;
  over: () => void;
  take: () => void;
  letGo: () => void;
}

function Drawn({ cell, x, y, marked, over, take, letGo }: DrawnProps) {
  const { here, coming } = cell;
  const size = CELL - 2;
  const [cx, cy] = [x + size / 2, y + size / 2];
  const clash = here.length > 1 || coming.length > 1 || (here.length === 1 && coming.some((d) => d.id !== here[0].id && !leaves(here[0])));
  return (
    <g
      data-place={cell.address}
      onPointerEnter={over}
      onPointerDown={take}
      onPointerUp={letGo}
      onClick={() => (here[0] ?? coming[0]) && select((here[0] ?? coming[0]).id, "only")}
      className={clsx((here.length || coming.length) && "cursor-pointer")}
    >
      <title>{told(cell)}</title>
      <rect x={x} y={y} width={size} height={size} rx="1.5" className={ZONES[cell.zone]} fill={cell.zone === "pool" ? "url(#pool)" : undefined} strokeWidth="0.8" strokeDasharray={cell.zone === "reserved" ? "2 1.5" : undefined} />
      {here.length > 0 && <path d={diamond(cx, cy, 4.6)} className={clash ? "fill-madder" : here[0].taken_in ? "fill-ink" : "fill-indigo"} />}
      {coming.length > 0 && <path d={diamond(cx, cy, 4.6)} className={clsx("fill-none", clash ? "stroke-madder" : "stroke-weld")} strokeWidth="1.4" strokeDasharray="2 1" />}
      {clash && <rect x={x + 0.6} y={y + 0.6} width={size - 1.2} height={size - 1.2} rx="1.5" className="fill-none stroke-madder" strokeWidth="1.4" />}
      {marked && <rect x={x - 0.6} y={y - 0.6} width={size + 1.2} height={size + 1.2} rx="2" className="fill-none stroke-indigo" strokeWidth="1.6" />}
    </g>
  );
}

const leaves = (device: Device): boolean => device.taken_in && !!device.planned_address && device.planned_address !== device.addresses[0]?.address;

const diamond = (x: number, y: number, r: number): string => `M ${x} ${y - r} L ${x + r} ${y} L ${x} ${y + r} L ${x - r} ${y} Z`;

/** What the marks of the picture mean. */
export function Legend() {
  const one = (words: string, mark: React.ReactNode) => (
    <span className="inline-flex items-center gap-1">
      <svg aria-hidden viewBox="0 0 14 14" className="size-3.5">
        <Hatched />
        {mark}
      </svg>
      {words}
    </span>
  );
  const box = "stroke-[0.8]";
  return (
    <p className="mb-3 flex flex-wrap gap-x-3 gap-y-0.5 text-[12px] text-soft">
      {one("there", <path d={diamond(7, 7, 5)} className="fill-ink" />)}
      {one("to come", <path d={diamond(7, 7, 5)} className="fill-none stroke-weld" strokeDasharray="2 1" />)}
      {one("two on one", <><path d={diamond(7, 7, 4)} className="fill-madder" /><rect x="1" y="1" width="12" height="12" className="fill-none stroke-madder" /></>)}
      {one("free", <rect x="1" y="1" width="12" height="12" rx="1.5" className="fill-weave/70" />)}
      {one("range", <rect x="1" y="1" width="12" height="12" rx="1.5" className="fill-woad-wash" />)}
      {one("reserved", <rect x="1" y="1" width="12" height="12" rx="1.5" strokeDasharray="2 1.5" className={`fill-weave/30 stroke-warp ${box}`} />)}
      {one("pool", <rect x="1" y="1" width="12" height="12" rx="1.5" fill="url(#pool)" />)}
    </p>
  );
}
