import { Button } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { answer, client } from "../../api/client";
import { useNeeds } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { relative } from "../../parts/dates";
import type { Cause } from "../today/queries";

interface Props {
  causes: Cause[] | undefined;
  /** Say too how many questions wait. */
  withQuestions?: boolean;
}

/** What needs a person, each with its first step. */
export function Causes({ causes, withQuestions = false }: Props) {
  const asked = useNeeds().data?.length ?? 0;
  const go = useNavigate();
  if (causes === undefined) return null;
  const grave = causes.filter((c) => c.kind !== "never_on");
  const others = causes.filter((c) => c.kind === "never_on"); // they need nobody, and are not counted
  return (
    <div className="causes">
      {withQuestions && asked > 0 && (
        <section>
          <b>
            {asked} {asked === 1 ? "run is waiting for your answer" : "runs are waiting for your answers"}
          </b>
          <p>Nothing is lost meanwhile.</p>
          <Button onClick={() => void go("/needs")}>Answer</Button>
        </section>
      )}
      {withQuestions && grave.length === 0 && asked === 0 && <p className="quiet">Nothing needs your attention.</p>}
      {grave.map((cause) => (
        <OneCause key={cause.key} cause={cause} />
      ))}
      {others.length > 0 && <h2 className="heading">Not turned on yet</h2>}
      {others.map((cause) => (
        <OneCause key={cause.key} cause={cause} />
      ))}
    </div>
  );
}

function OneCause({ cause }: { cause: Cause }) {
  const go = useNavigate();
  const queries = useQueryClient();
  const { tell, fail } = useNotices();
  const leave = useMutation({
    mutationFn: () =>
      answer(client.POST("/api/v1/workflows/{workflow_id}/leave-failed", { params: { path: { workflow_id: cause.workflow ?? 0 } } })),
    onSuccess: () => void queries.invalidateQueries(),
    onError: fail,
  });
  const retry = useMutation({
    mutationFn: () =>
      answer(client.POST("/api/v1/workflows/{workflow_id}/again-failed", { params: { path: { workflow_id: cause.workflow ?? 0 } } })),
    onSuccess: ({ taken }) => {
      void queries.invalidateQueries();
      tell(taken === 1 ? "1 run is being retried." : `${taken} runs are being retried.`);
    },
    onError: fail,
  });
  const step: Record<Cause["kind"], [string, string]> = {
    question: ["Answer", "/needs"],
    failed: ["Open run", `/runs/${cause.run}`],
    paused: ["Open workflow", `/workflows/${cause.workflow}`],
    refused: ["Reconnect", `/connections/${cause.connection}`],
    expiring: ["Renew", `/connections/${cause.connection}`],
    unreachable: cause.connection
      ? ["Open connection", `/connections/${cause.connection}`]
      : ["Open workflow", `/workflows/${cause.workflow}`],
    running_out: ["Open connection", `/connections/${cause.connection}`],
    silent: ["Open workflow", `/workflows/${cause.workflow}`],
    conflict: ["Decide", `/mirrors/${cause.mirror}`],
    stopped: ["Open mirror", `/mirrors/${cause.mirror}`],
    never_on: ["Open workflow", `/workflows/${cause.workflow}`],
  };
  const [words, to] = step[cause.kind];
  return (
    <section className={cause.kind === "never_on" ? "" : "grave"}>
      <b>{cause.workflow_name || cause.sentence}</b>
      <p>
        {cause.workflow_name && `${cause.sentence.replace(/\.$/, "")}. `}
        {cause.advice} <span className="quiet">{relative(cause.at)}</span>
      </p>
      <Button onClick={() => void go(to)}>{words}</Button>
      {cause.kind === "failed" && (
        <>
          <button className="link left-2" disabled={retry.isPending} onClick={() => retry.mutate()}>
            {cause.count === 1 ? "Retry" : `Retry all ${cause.count}`}
          </button>
          <button className="link left-2" disabled={leave.isPending} onClick={() => leave.mutate()}>
            {cause.count === 1 ? "Dismiss" : `Dismiss all ${cause.count}`}
          </button>
        </>
      )}
    </section>
  );
}
