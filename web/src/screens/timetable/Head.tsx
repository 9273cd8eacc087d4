import { Button } from "@mui/material";
import { useMutation } from "@tanstack/react-query";
import { NavLink } from "react-router";
import { useNotices } from "../../frame/Notices";
import { answer, client } from "../../api/client";
import { useApp, type WorkflowDetail } from "../../api/queries";
import { dateTime, relative, seconds } from "../../parts/dates";
import { Held } from "./Held";
import { TurnOn } from "./TurnOn";
import { whenOf } from "./model";
import type { Draft } from "./useDraft";

interface Props {
  workflow: WorkflowDetail;
  draft: Draft;
  findings: number;
  /** How many samples have a cell that is not right. */
  wrongSamples: number;
  zone: string;
  sampleLabel: string | null;
  onTry: () => void;
  onWhere: () => void;
  onKeys: () => void;
  docked: boolean;
  onDock: () => void;
}

const LISTENS: Record<string, string> = {
  record: "Starts when records change",
  schedule: "Starts on schedule",
  address: "Accepts requests",
};
const SAVING: Record<Draft["saving"], string> = { saved: "saved", saving: "saving …", stale: "not saved", failed: "not saved" };

export function Head({ workflow, draft, findings, wrongSamples, zone, sampleLabel, onTry, onWhere, onKeys, docked, onDock }: Props) {
  const { tell, fail } = useNotices();
  const on = workflow.state === "on";
  const app = useApp(whenOf(draft.document).app);
  const where = { params: { path: { workflow_id: workflow.id } } };
  const check = useMutation({
    mutationFn: () => answer(client.POST("/api/v1/workflows/{workflow_id}/check-now", where)),
    onSuccess: () => tell("Checking now."),
    onError: fail,
  });

  return (
    <>
      <div className="row top">
        <div className="grow">
          <h1>
            <input aria-label="Workflow name" value={draft.name} onChange={(event) => draft.rename(event.target.value)} />
          </h1>
          <div className="sub">
            Draft {draft.version}, {SAVING[draft.saving]} ·{" "}
            {on && workflow.listens ? (
              <>
                {LISTENS[workflow.listens.kind]}
                {workflow.listens.next_at && `, next ${dateTime(workflow.listens.next_at, zone)}`}
              </>
            ) : on && workflow.subscription ? (
              <>
                receives {app?.items_word ?? "items"} <b>{workflow.subscription.pushed ? "as they arrive" : "at each check"}</b> ·{" "}
                <button className="link" onClick={() => check.mutate()}>
                  Check now
                </button>
                {!workflow.subscription.problem && <> · next check {seconds(workflow.subscription.next_check_at, zone)}</>}
              </>
            ) : (
              <>
                {workflow.state === "paused" ? "New items are held while this is paused" : "New items aren’t processed while this is off"}
              </>
            )}
            {!on &&
              workflow.a_month !== null &&
              ` · about ${workflow.a_month.toLocaleString("en-GB")} runs a month, ${workflow.a_month_from}`}
            {wrongSamples > 0 && (
              <span className="bad">
                {" "}
                · ! {wrongSamples} {wrongSamples === 1 ? "sample has a problem" : "samples have problems"}
              </span>
            )}
          </div>
        </div>
        <StateMark workflow={workflow} />
        <Button onClick={onTry} disabled={!sampleLabel}>
          {sampleLabel ? `Try ${sampleLabel}` : "Try"}
        </Button>
        <TurnOn workflow={workflow} draft={draft} findings={findings} />
      </div>
      {on && workflow.subscription?.problem && (
        <div className="note bad" role="status">
          Last check failed: {workflow.subscription.problem}.
        </div>
      )}
      {workflow.silent && <div className="note">{workflow.silent}</div>}
      {workflow.state === "paused" && workflow.reason && <div className="note bad">Paused: {workflow.reason}</div>}
      <Held workflow={workflow} itemsWord={app?.items_word ?? "items"} />
      <div className="tabs">
        <NavLink to={`/workflows/${workflow.id}`} end>
          Rehearsal
        </NavLink>
        <NavLink to={`/workflows/${workflow.id}/runs`}>Runs</NavLink>
        <NavLink to={`/workflows/${workflow.id}/backcast`}>Backcast</NavLink>
        <span className="grow" />
        <button className="link" aria-pressed={docked} onClick={onDock}>
          Side by side
        </button>
        <button className="link" onClick={onKeys}>
          Keyboard shortcuts
        </button>
        <button className="link" onClick={onWhere}>
          Where is my item?
        </button>
      </div>
    </>
  );
}

function StateMark({ workflow }: { workflow: WorkflowDetail }) {
  if (workflow.state === "on") {
    return (
      <span className="state on" title={workflow.turned_on_at ? `since ${relative(workflow.turned_on_at)}` : ""}>
        ● On, version {workflow.live_version}
      </span>
    );
  }
  if (workflow.state === "paused") return <span className="state off">‖ Paused</span>;
  return workflow.tried_never_on ? <span className="state off">◑ Off, tried</span> : <span className="state plain">○ Off</span>;
}
