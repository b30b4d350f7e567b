import { useQuery } from "@tanstack/react-query";
import { asProblem, type Schemas } from "../api/client";
import { deviceQuery } from "../api/queries";
import { Trouble, Waiting } from "../ui/parts";

/** The whole of one device, with waiting and trouble told. */
export function WithDevice({ id, children }: { id: string; children: (device: Schemas["WholeDevice"]) => React.ReactNode }) {
  const whole = useQuery(deviceQuery(id));
  if (whole.data) return <>{children(whole.data)}</>;
  if (whole.error) return <Trouble problem={asProblem(whole.error)} again={() => void whole.refetch()} />;
  return <Waiting>Reading the record …</Waiting>;
}
