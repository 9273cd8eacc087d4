import { Button } from "@mui/material";
import { Link, useParams } from "react-router";
import { useApp, useTargets, useMe, useRun } from "../../api/queries";
import { said } from "../../api/client";
import { dateTime, relative } from "../../parts/dates";
import { RunCell } from "../timetable/outcomes";
import { RunState } from "../timetable/runState";
import { sentenceOf } from "../../lines";
import { depth } from "../timetable/nesting";
import { RunAgain } from "./RunAgain";
import { Attempts } from "./Attempts";
import { LineRecord } from "./RunParts";
import { whenOf } from "../timetable/model";

/** One run: every line with what it was given and what came out. */
export function RunScreen() {
  const id = Number(useParams().run);
  const detail = useRun(id);
  const app = useApp(String(detail.data?.item?.app ?? ""));
  const zone = useMe().data?.timezone ?? "UTC";
  const databases = useTargets();
  if (detail.error) {
    return (
      <main>
        <div className="empty">
          <h1>Run not found</h1>
          <p>{said(detail.error)}</p>
        </div>
      </main>
    );
  }
  if (!detail.data) return <main />;
  const { run, document, item } = detail.data;
  const link = item?.link as string | undefined;
  return (
    <main>
      <div className="row head top">
        <div className="grow">
          <h1>{run.title || `Run ${run.id}`}</h1>
          <div className="sub">
            <RunState state={run.state} /> · <Link to={`/workflows/${run.workflow_id}`}>{run.workflow}</Link>,{" "}
            {run.kind === "try" ? "a try of" : ""} version {run.number} · received {dateTime(run.created_at, zone)},{" "}
            {relative(run.created_at)}
            {run.attempts > 1 && ` · ${run.attempts} attempts`}
            {run.again_of && (
              <>
                {" "}
                · repeats <Link to={`/runs/${run.again_of}`}>an earlier run</Link>
              </>
            )}
            {run.undone_at && <span className="look"> · undone {relative(run.undone_at)}</span>}
          </div>
        </div>
        {link && (
          <Button href={link} target="_blank" rel="noreferrer">
            Open the {item?.app === "kelvix" ? "record" : (app?.item_word ?? "item")}
          </Button>
        )}
        <RunAgain run={run} />
      </div>
      {run.problem && <div className="note bad">{run.problem}</div>}
      {run.pruned && <div className="note">This run’s content has expired. Workspace settings say how long it is kept.</div>}
      <Attempts attempts={detail.data.attempts} zone={zone} />
      <div className="scroll fill sheet">
        {document.lines.map((line, n) => {
          const { verb, object, detail: more } = sentenceOf(line, app, databases, document);
          const recorded = run.lines.findLast((l) => l.line === line.id);
          return (
            <section key={line.id} className="line" style={{ paddingLeft: 12 + 16 * depth(document, line) }}>
              <div className="row below-1">
                <div className="grow">
                  <span className="no">{n + 1}</span>
                  <span className="verb">{verb}</span>
                  <span className="obj">{object}</span> <span className="quiet">{line.id === whenOf(document).id ? more : ""}</span>
                </div>
                <div className="w-260">{recorded ? <RunCell run={run} line={line.id} /> : <span className="quiet">not run</span>}</div>
                <span className="quiet t w-150">{recorded ? dateTime(recorded.at, zone) : ""}</span>
              </div>
              {recorded && <LineRecord run={run} line={line.id} document={document} />}
            </section>
          );
        })}
      </div>
    </main>
  );
}
