import { Button } from "@mui/material";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { useMutation } from "@tanstack/react-query";
import { useNotices } from "../../frame/Notices";
import { useMe, useWorkflows, type Workflow } from "../../api/queries";
import { answer, client } from "../../api/client";
import { useDeleting } from "../../parts/Deleting";
import { dateTime, seconds } from "../../parts/dates";
import { RUN_STATES } from "../timetable/runState";
import { NewWorkflow } from "./NewWorkflow";

/** All workflows: state, last runs as a strip, next check. */
export function WorkflowList() {
  const workflows = useWorkflows().data;
  const zone = useMe().data?.timezone ?? "UTC";
  const [making, setMaking] = useState(false);
  const { start, dialog } = useDeleting();
  const { fail } = useNotices();
  const go = useNavigate();
  const duplicate = useMutation({
    mutationFn: (w: Workflow) =>
      answer(client.POST("/api/v1/workflows/{workflow_id}/duplicate", { params: { path: { workflow_id: w.id } } })),
    onSuccess: (made) => void go(`/workflows/${made.id}`),
    onError: fail,
  });
  const remove = (w: Workflow) =>
    start({
      name: w.name,
      also: w.held
        ? `Its ${w.held.count.toLocaleString("en-GB")} held ${w.held.count === 1 ? "item is" : "items are"} deleted permanently.`
        : undefined,
      uses: () => answer(client.GET("/api/v1/workflows/{workflow_id}/uses", { params: { path: { workflow_id: w.id } } })),
      run: (anyway) =>
        answer(client.DELETE("/api/v1/workflows/{workflow_id}", { params: { path: { workflow_id: w.id }, query: { anyway } } })),
    });
  return (
    <main>
      <div className="row head">
        <h1 className="grow">Workflows</h1>
        <Button variant="contained" onClick={() => setMaking(true)}>
          New workflow
        </Button>
      </div>
      {workflows?.length === 0 ? (
        <div className="empty">
          <h2>No workflows yet</h2>
          <p>A workflow starts when something happens, for example when a message arrives in a folder, and adds a record to a database.</p>
          <Button variant="contained" onClick={() => setMaking(true)}>
            Create the first one
          </Button>
        </div>
      ) : (
        <div className="scroll fill">
          <table className="list">
            <colgroup>
              <col />
              <col className="w-130" />
              <col className="w-200" />
              <col className="w-150" />
              <col className="w-168" />
              <col className="w-150" />
            </colgroup>
            <thead>
              <tr>
                <th>Name</th>
                <th>State</th>
                <th>Last 30 runs</th>
                <th>Next check</th>
                <th className="num">Runs a month</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {workflows?.map((w) => (
                <tr key={w.id}>
                  <td>
                    <Link to={`/workflows/${w.id}`}>{w.name}</Link>
                    <span className="det">{w.sentence}</span>
                  </td>
                  <td>
                    <State workflow={w} />
                  </td>
                  <td>
                    <Link
                      to={`/workflows/${w.id}/runs`}
                      className="strip"
                      aria-label={`${w.recent.length} runs, ${w.recent.filter((r) => r === "failed").length} failed`}
                    >
                      {[...w.recent].reverse().map((r, n) => (
                        <i key={n} className={r} title={RUN_STATES[r]?.word} />
                      ))}
                    </Link>
                  </td>
                  <td>
                    {w.subscription
                      ? seconds(w.subscription.next_check_at, zone)
                      : w.listens?.next_at
                        ? dateTime(w.listens.next_at, zone)
                        : w.listens
                          ? "Immediately"
                          : ""}
                  </td>
                  <td className="num" title={w.a_month_from}>
                    {w.a_month === null ? <span className="quiet">Not known yet</span> : `about ${w.a_month.toLocaleString("en-GB")}`}
                    {w.a_month !== null && <span className="det">{w.a_month_from}</span>}
                  </td>
                  <td>
                    <button className="link right-2" onClick={() => duplicate.mutate(w)} aria-label={`Duplicate ${w.name}`}>
                      Duplicate
                    </button>
                    <button className="link" onClick={() => remove(w)} aria-label={`Delete ${w.name}`}>
                      Delete
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {making && <NewWorkflow onClose={() => setMaking(false)} />}
      {dialog}
    </main>
  );
}

function State({ workflow }: { workflow: Workflow }) {
  if (workflow.subscription?.problem) {
    return (
      <span className="bad" title={workflow.subscription.problem}>
        <span className="mk">!</span>On, but {workflow.subscription.problem}
      </span>
    );
  }
  if (workflow.silent) {
    return (
      <span className="look" title={workflow.silent}>
        <span className="mk">◌</span>On, no recent items
      </span>
    );
  }
  if (workflow.state === "on") {
    return (
      <span className="ok">
        <span className="mk">●</span>On
      </span>
    );
  }
  if (workflow.state === "paused") {
    return (
      <span className="bad" title={workflow.reason ?? ""}>
        <span className="mk">‖</span>Paused{workflow.held && `, ${workflow.held.count.toLocaleString("en-GB")} held`}: {workflow.reason}
      </span>
    );
  }
  return workflow.tried_never_on ? (
    <span className="look">
      <span className="mk">◑</span>Off, tried
    </span>
  ) : (
    <span className="quiet">
      <span className="mk">○</span>Off
    </span>
  );
}
