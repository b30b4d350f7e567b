import type { WholeDevice } from "../api/client";

type Connector = WholeDevice["face"]["connectors"][number];
type Point = WholeDevice["points"][number];

/** One place of a connector: the terminals that belong to it, in the order in which they are seen from the front. */
export interface PanelPlace {
  /** The place on the connector's axis; 0 where it counts nothing. */
  number: number;
  terminals: string[];
  point?: Point;
  /** Where its values are. */
  path: string;
}

/** The places of a connector as somebody sees it who stands before it: the one that is 1 may be at the right, or below. */
export function placesOf(connector: Connector, numbers: number[], points: Point[], paths: { path: string; place: Record<string, number> }[]): PanelPlace[] {
  const { terminals, axis } = connector;
  const each = axis && numbers.length && terminals.length % numbers.length === 0 ? terminals.length / numbers.length : 0;
  const found: PanelPlace[] = each
    ? numbers.map((number, at) => ({
        number,
        terminals: terminals.slice(at * each, (at + 1) * each),
        point: points.find((one) => one.live && only(one.place, axis, number)),
        path: paths.find((one) => only(one.place, axis, number))?.path ?? "",
      }))
    : terminals.map((terminal) => ({ number: 0, terminals: [terminal], path: "" }));
  return connector.first === "right" || connector.first === "bottom" ? found.reverse().map((one) => ({ ...one, terminals: [...one.terminals].reverse() })) : found;
}

function only(place: Record<string, number>, axis: string, number: number): boolean {
  return Object.keys(place).length === 1 && place[axis] === number;
}
