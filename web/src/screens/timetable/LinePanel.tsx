import type { Database, Sample, WorkflowDetail } from "../../api/queries";
import { AddPanel } from "./AddPanel";
import { AskPanel } from "./AskPanel";
import { DecidePanel, WayPanel } from "./DecidePanel";
import { FindPanel } from "./FindPanel";
import { LinePlace, type LineContext } from "./lineContext";
import { sentenceOf } from "./lineWords";
import { whenOf, type Carried, type Document, type Line, type Ref, type Rehearsal } from "./model";
import { OnlyIfPanel } from "./OnlyIfPanel";
import { RecordPanel } from "./RecordPanel";
import { RepeatPanel } from "./RepeatPanel";
import { RunAnotherPanel } from "./RunAnotherPanel";
import { SaveFilePanel } from "./SaveFilePanel";
import { SendMailPanel } from "./SendMailPanel";
import { ShapePanel } from "./ShapePanel";
import { StopPanel } from "./StopPanel";
import { WaitPanel } from "./WaitPanel";
import { WebRequestPanel } from "./WebRequestPanel";
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
  onDuplicate: () => void;
  setDocument: (document: Document) => void;
  choose: (line: string) => void;
  follow: (ref: Ref) => void;
  readAgain: () => void;
}

/** The chosen line, edited in place. */
export function LinePanel(props: Props) {
  const { document, line, rehearsal, sample } = props;
  const { verb, object } = sentenceOf(line, undefined, props.databases, document);
  const cells = (sample && rehearsal?.cells[String(sample.id)]) ?? [];
  const cell = cells.find((c) => c.line === line.id);
  const findings = rehearsal?.findings.filter((f) => f.line === line.id) ?? [];
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
  };
  return (
    <LinePlace.Provider value={place}>
      <div className="ph">
        <div className="grow">
          Line {document.lines.indexOf(line) + 1} · {verb} {line.verb === "when" ? "" : object}{" "}
          {props.sampleName && <span>with {props.sampleName}</span>}
        </div>
        {line.verb !== "when" && line.verb !== "otherwise" && (
          <>
            <button className="link" onClick={props.onDuplicate}>
              duplicate
            </button>
            <button className="link" onClick={props.onRemove}>
              take this {line.verb === "way" ? "way" : "line"} away
            </button>
          </>
        )}
      </div>
      {line.verb === "when" && <WhenPanel line={line} workflow={props.workflow} findings={findings} onChange={props.onChange} />}
      {line.verb === "only_if" && <OnlyIfPanel key={line.id} line={line} cell={cell} onChange={props.onChange} />}
      {line.verb === "decide" && <DecidePanel line={line} cells={cells} setDocument={props.setDocument} choose={props.choose} />}
      {line.verb === "way" && <WayPanel key={line.id} line={line} cell={cell} onChange={props.onChange} />}
      {line.verb === "otherwise" && (
        <p className="quiet">
          The lines within this one are for samples that go none of the ways above. Leave it empty to let them pass on.
        </p>
      )}
      {line.verb === "repeat" && <RepeatPanel key={line.id} line={line} cell={cell} findings={findings} onChange={props.onChange} />}
      {line.verb === "ask" && <AskPanel key={line.id} line={line} cell={cell} findings={findings} onChange={props.onChange} />}
      {line.verb === "send_mail" && <SendMailPanel key={line.id} line={line} cell={cell} findings={findings} onChange={props.onChange} />}
      {line.verb === "save_file" && <SaveFilePanel key={line.id} line={line} cell={cell} findings={findings} onChange={props.onChange} />}
      {line.verb === "web_request" && (
        <WebRequestPanel key={line.id} line={line} cell={cell} findings={findings} onChange={props.onChange} />
      )}
      {line.verb === "run_another" && (
        <RunAnotherPanel key={line.id} line={line} cell={cell} findings={findings} onChange={props.onChange} />
      )}
      {line.verb === "stop" && <StopPanel key={line.id} line={line} cell={cell} onChange={props.onChange} />}
      {line.verb === "find" && (
        <FindPanel key={line.id} line={line} databases={props.databases} cell={cell} findings={findings} onChange={props.onChange} />
      )}
      {line.verb === "wait" && <WaitPanel key={line.id} line={line} cell={cell} onChange={props.onChange} />}
      {line.verb === "shape" && <ShapePanel line={line} cell={cell} findings={findings} onChange={props.onChange} />}
      {(line.verb === "update" || line.verb === "delete") && (
        <RecordPanel
          line={line}
          databases={props.databases}
          cell={cell}
          findings={findings}
          hasSample={!!sample}
          onChange={props.onChange}
        />
      )}
      {(line.verb === "add" || line.verb === "add_or_update") && (
        <AddPanel
          line={line}
          when={whenOf(document).id}
          app={whenOf(document).app}
          databases={props.databases}
          cell={cell}
          findings={findings}
          sample={sample}
          onChange={props.onChange}
        />
      )}
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
