import { useMemo, useState } from "react";
import { useLocation, useParams } from "react-router";
import { Problem } from "../../api/client";
import { useMe, useSamples, useWorkflow, type WorkflowDetail } from "../../api/queries";
import { FirstSteps } from "../start/FirstSteps";
import { Dock } from "./Dock";
import { Head } from "./Head";
import { KeysDialog } from "./KeysDialog";
import { columnTime } from "./model";
import { BackcastTab } from "./BackcastTab";
import { RehearsalTab } from "./RehearsalTab";
import { RunsTab } from "./RunsTab";
import { TryDialog } from "./TryDialog";
import { useChoice } from "./useChoice";
import { useDraft } from "./useDraft";
import { useRehearsal } from "./useRehearsal";
import { WhereDialog } from "./WhereDialog";

/** The page on which a workflow is built and looked back on. */
export function Timetable() {
  const { workflow } = useParams();
  const kept = useWorkflow(Number(workflow));
  if (kept.error instanceof Problem && kept.error.status === 404) {
    return (
      <main>
        <div className="empty">
          <h1>Workflow not found</h1>
          <p>
            {kept.error.message} {kept.error.detail}
          </p>
        </div>
      </main>
    );
  }
  return kept.data ? <Open key={kept.data.id} workflow={kept.data} /> : <main />;
}

function Open({ workflow }: { workflow: WorkflowDetail }) {
  const [opened] = useState(workflow.unfinished); // the first line that is not finished, as the workflow was when it was opened
  const draft = useDraft(workflow);
  const samples = useSamples(workflow.id).data;
  const { rehearsal, readAgain } = useRehearsal(workflow.id, draft.document, samples);
  const zone = useMe().data?.timezone ?? "UTC";
  const { line, column, choose } = useChoice(opened ?? draft.document.lines.at(-1)?.id ?? null);
  const [docked, setDocked] = useState(false);
  const [dialog, setDialog] = useState<"try" | "where" | "keys" | null>(null);
  const tab = /\/(runs|backcast)$/.exec(useLocation().pathname)?.[1] ?? "rehearsal";
  const sample = useMemo(() => samples?.find((s) => s.id === column) ?? samples?.[0], [samples, column]);
  const close = () => setDialog(null);

  return (
    <main>
      <Head
        workflow={workflow}
        draft={draft}
        findings={rehearsal?.findings.length ?? 0}
        wrongSamples={Object.values(rehearsal?.cells ?? {}).filter((c) => c.some((x) => x.state === "put_right")).length}
        zone={zone}
        sampleLabel={sample ? columnTime(sample.at, zone) : null}
        onTry={() => setDialog("try")}
        onWhere={() => setDialog("where")}
        onKeys={() => setDialog("keys")}
        docked={docked}
        onDock={() => setDocked(!docked)}
      />
      <FirstSteps strip />
      {draft.saving === "stale" && (
        <div className="note bad" role="alert">
          {draft.problem}{" "}
          <button className="link" onClick={() => void draft.takeTheirs()}>
            Load other version
          </button>{" "}
          ·{" "}
          <button className="link" onClick={() => void draft.keepMine()}>
            Keep mine
          </button>
        </div>
      )}
      {draft.saving === "failed" && (
        <div className="note bad" role="alert">
          {draft.problem} Your edits are kept here and will be saved when possible.
        </div>
      )}
      {tab === "runs" && <RunsTab workflow={workflow} document={draft.document} rehearsal={rehearsal} zone={zone} />}
      {tab === "backcast" && <BackcastTab workflow={workflow.id} document={draft.document} rehearsal={rehearsal} zone={zone} />}
      {tab === "rehearsal" && (
        <RehearsalTab
          workflow={workflow}
          draft={draft}
          samples={samples}
          sample={sample}
          rehearsal={rehearsal}
          readAgain={readAgain}
          zone={zone}
          line={line}
          choose={choose}
          onTry={() => sample && setDialog("try")}
        />
      )}
      {docked && <Dock document={draft.document} />}
      {dialog === "try" && sample && (
        <TryDialog
          workflow={workflow.id}
          document={draft.document}
          sample={sample}
          line={line}
          flush={draft.flush}
          docked={docked}
          onClose={close}
        />
      )}
      {dialog === "where" && <WhereDialog workflow={workflow.id} zone={zone} onClose={close} />}
      {dialog === "keys" && <KeysDialog onClose={close} />}
    </main>
  );
}
