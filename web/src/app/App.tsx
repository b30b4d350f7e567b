import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Navigate, Route, Routes } from "react-router";
import { asProblem } from "../api/client";
import { useServerEvents } from "../api/events";
import { sessionQuery } from "../api/queries";
import { Trouble, Waiting } from "../ui/parts";
import { PeoplePage } from "../people/PeoplePage";
import { SignIn } from "./SignIn";
import { Workplace } from "./Workplace";

export function App() {
  const client = useQueryClient();
  const session = useQuery(sessionQuery);
  useServerEvents(client, !!session.data);
  if (session.isPending) return <Waiting>Opening …</Waiting>;
  if (!session.data) {
    const problem = asProblem(session.error);
    return problem.code === "signed-out" ? <SignIn /> : <Trouble problem={problem} again={() => void session.refetch()} />;
  }
  return (
    <Routes>
      <Route path="/people" element={<PeoplePage person={session.data} />} />
      <Route path="/:lens" element={<Workplace person={session.data} />} />
      <Route path="*" element={<Navigate to="/survey" replace />} />
    </Routes>
  );
}
