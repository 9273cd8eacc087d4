import type { Database, Sample, WorkflowDetail } from "../../api/queries";
import { sentenceOf, viewOf } from "../../lines";
import { LinePlace, type LineContext } from "./lineContext";
import { whenOf, type Carried, type Document, type Line, type Ref, type Rehearsal } from "./model";

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
  onDuplicate: () => void;
  setDocument: (document: Document) => void;
  choose: (line: string) => void;
  follow: (ref: Ref) => void;
  readAgain: () => void;
  flush: () => Promise<boolean>;
}

/** The chosen line, edited in place. */
export function LinePanel(props: Props) {
  const { document, line, rehearsal, sample } = props;
  const { verb, object } = sentenceOf(line, undefined, props.databases, document);
  const cells = (sample && rehearsal?.cells[String(sample.id)]) ?? [];
  const cell = cells.find((c) => c.line === line.id);
  const findings = rehearsal?.findings.filter((f) => f.line === line.id) ?? [];
  const { Panel, fixed, called = "line" } = viewOf(line.verb);
  const place: LineContext = {
    workflow: props.workflow.id,
    document,
    line: line.id,
    sample: sample?.id ?? null,
    rehearsal,
    carried: props.carried,
    shown: props.shown,
    follow: props.follow,
    readAgain: props.readAgain,
    flush: props.flush,
  };
  return (
    <LinePlace.Provider value={place}>
      <div className="ph">
        <div className="grow">
          Line {document.lines.indexOf(line) + 1} · {verb} {line.id === whenOf(document).id ? "" : object}{" "}
          {props.sampleName && <span>with {props.sampleName}</span>}
        </div>
        {!fixed && (
          <>
            <button className="link" onClick={props.onDuplicate}>
              Duplicate line
            </button>
            <button className="link" onClick={props.onRemove}>
              Remove {called}
            </button>
          </>
        )}
      </div>
      <Panel
        key={line.id}
        line={line}
        workflow={props.workflow}
        document={document}
        cell={cell}
        cells={cells}
        findings={findings}
        databases={props.databases}
        sample={sample}
        onChange={props.onChange}
        setDocument={props.setDocument}
        choose={props.choose}
      />
      {/* Last, since they come and go while one edits: nothing may move away from under a click. */}
      {findings
        .filter((f) => f.field === null && f.key === null)
        .map((f) => (
          <div className="note" key={f.sentence}>
            {f.sentence[0]?.toUpperCase() + f.sentence.slice(1)}.
          </div>
        ))}
    </LinePlace.Provider>
  );
}
