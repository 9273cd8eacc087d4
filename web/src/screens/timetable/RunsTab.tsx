import { useState } from "react";
import { Link } from "react-router";
import { useApp, useTargets, useRuns, type WorkflowDetail } from "../../api/queries";
import { RunAgain } from "../runs/RunAgain";
import { LineRecord } from "../runs/RunParts";
import { RunCell } from "./outcomes";
import { RUN_STATES, RunState } from "./runState";
import { Grid } from "./Grid";
import { conditionWords } from "./conditionWords";
import { columnTime, type Document, type Rehearsal, whenOf } from "./model";
import { useChoice } from "./useChoice";

interface Props {
  workflow: WorkflowDetail;
  document: Document;
  rehearsal: Rehearsal | undefined;
  zone: string;
}

const COLUMNS = 5;

/** The same grid with true runs as columns, the newest first, arriving live. */
export function RunsTab({ workflow, document, rehearsal, zone }: Props) {
  const app = useApp(whenOf(document).app);
  const databases = useTargets();
  const runs = useRuns({ workflow: workflow.id, limit: 30 });
  const { line, column, choose } = useChoice(document.lines.at(-1)?.id ?? null);
  const [from, setFrom] = useState(0);
  const all = runs.data?.pages.flatMap((p) => p.runs) ?? [];
  const shown = all.slice(from, from + COLUMNS);
  const run = shown.find((r) => r.id === column) ?? shown[0];
  if (runs.data && all.length === 0) {
    return (
      <div className="empty">
        <h2>No runs yet</h2>
        <p>
          {workflow.state === "on"
            ? `The next ${app?.item_word ?? "item"} will appear here when it arrives.`
            : "Turn on the workflow, or try a sample. Each run appears here as a column."}
        </p>
      </div>
    );
  }
  const older = () => {
    if (from + 2 * COLUMNS > all.length && runs.hasNextPage) void runs.fetchNextPage();
    setFrom(from + COLUMNS);
  };
  return (
    <>
      <Grid
        label="Runs: lines down, runs across, the newest first"
        document={document}
        columns={shown.map((r) => ({
          id: r.id,
          head: columnTime(r.created_at, zone),
          title: r.title ?? "",
          mark: <span className={RUN_STATES[r.state]?.look}>{RUN_STATES[r.state]?.mark}</span>,
        }))}
        line={line}
        column={run?.id ?? null}
        cornerName="Runs"
        corner={
          <>
            Runs {from + 1} to {from + shown.length} ·{" "}
            <button className="link" disabled={from === 0} onClick={() => setFrom(Math.max(0, from - COLUMNS))}>
              Newer
            </button>{" "}
            ·{" "}
            <button className="link" disabled={from + COLUMNS >= all.length && !runs.hasNextPage} onClick={older}>
              Older
            </button>
          </>
        }
        app={app}
        databases={databases}
        detail={(l) => ("conditions" in l ? conditionWords(l, rehearsal) : "")}
        cell={(l, c) => {
          const of = all.find((r) => r.id === c.id);
          return of ? <RunCell run={of} line={l.id} /> : null;
        }}
        choose={choose}
      />
      {run && (
        <div className="pane">
          <div>
            <div className="ph">
              <div className="grow">
                {run.title} <span>{run.kind === "try" ? "a try" : `version ${run.number}`}</span>
              </div>
              <Link to={`/runs/${run.id}`}>Open run</Link>
            </div>
            <LineRecord run={run} line={line} document={document} />
          </div>
          <div>
            <div className="ph">The run</div>
            <p>
              <RunState state={run.state} /> {run.undone_at && <span className="look">· undone</span>}
            </p>
            {run.problem && <div className="note bad">{run.problem}</div>}
            <div className="row wrapped above-2">
              <RunAgain key={run.id} run={run} />
            </div>
          </div>
        </div>
      )}
    </>
  );
}
