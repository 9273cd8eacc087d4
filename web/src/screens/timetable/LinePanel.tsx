import type { Database, Sample, WorkflowDetail } from "../../api/queries";
import { AddPanel } from "./AddPanel";
import { sentenceOf, whenOf, type Carried, type Document, type Line, type Ref, type Rehearsal } from "./model";
import { OnlyIfPanel } from "./OnlyIfPanel";
import { WhenPanel } from "./WhenPanel";

interface Props {
  workflow: WorkflowDetail;
  document: Document;
  line: Line;
  carried: Carried[];
  rehearsal: Rehearsal | undefined;
  sample: Sample | undefined;
  sampleName: string;
  databases: Database[];
  shown: (ref: Ref) => string;
  onChange: (line: Line) => void;
  onRemove: () => void;
  follow: (ref: Ref) => void;
}

/** The chosen line, edited in place. */
export function LinePanel(props: Props) {
  const { document, line, rehearsal, sample } = props;
  const { verb, object } = sentenceOf(line, undefined, props.databases);
  const cell = sample && rehearsal?.cells[String(sample.id)]?.find((c) => c.line === line.id);
  const findings = rehearsal?.findings.filter((f) => f.line === line.id) ?? [];
  return (
    <>
      <div className="ph">
        <div className="grow">
          Line {document.lines.indexOf(line) + 1} · {verb} {line.verb === "when" ? "" : object}{" "}
          {props.sampleName && <span>with {props.sampleName}</span>}
        </div>
        {line.verb !== "when" && (
          <button className="link" onClick={props.onRemove}>
            take this line away
          </button>
        )}
      </div>
      {findings
        .filter((f) => f.field === null)
        .map((f) => (
          <div className="note" key={f.sentence}>
            {f.sentence[0]?.toUpperCase() + f.sentence.slice(1)}.
          </div>
        ))}
      {line.verb === "when" && <WhenPanel line={line} workflow={props.workflow} onChange={props.onChange} />}
      {line.verb === "only_if" && (
        <OnlyIfPanel line={line} carried={props.carried} cell={cell} words={rehearsal?.operator_words ?? {}} shown={props.shown} onChange={props.onChange} />
      )}
      {line.verb === "add" && (
        <AddPanel
          line={line}
          when={whenOf(document).id}
          databases={props.databases}
          carried={props.carried}
          cell={cell}
          findings={findings}
          sample={sample}
          shown={props.shown}
          onChange={props.onChange}
          follow={props.follow}
        />
      )}
    </>
  );
}
