import { ByConnection } from "../../screens/timetable/ByConnection";
import { FilledWith } from "../../screens/timetable/FilledWith";
import { useLine } from "../../screens/timetable/lineContext";
import { MailPreview } from "./MailPreview";
import { MailRows } from "./MailRows";
import { PanelRow } from "../../screens/timetable/PanelRow";
import type { Cell, Part, Rehearsal, SendMail } from "../../screens/timetable/model";

interface Props {
  line: SendMail;
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  onChange: (line: SendMail) => void;
}

/** Who gets a mail, and what stands in it; beside it, the mail as it would go out with the chosen sample. */
export function SendMailPanel({ line, cell, findings, onChange }: Props) {
  const { rehearsal } = useLine();
  const list = rehearsal?.lists.find((l) => l.line === line.rows?.line && l.key === line.rows.value);
  const wrong = (key: string) => findings.find((f) => f.key === key)?.sentence;
  const paragraph = (at: number, parts: Part[] | null) =>
    onChange({ ...line, paragraphs: line.paragraphs.flatMap((p, n) => (n === at ? (parts ? [parts] : []) : [p])) });
  return (
    <div className="mailing">
      <div>
        <ByConnection
          name="Sent by"
          label="Connection to send with"
          can={(a) => a.sends}
          words={{ none: "No connection can send yet", mayNot: "can’t send yet" }}
          value={line.connection}
          problem={wrong("connection")}
          onChange={(connection) => onChange({ ...line, connection })}
        />
        {!line.split && (
          <PanelRow name="To" problem={wrong("to")}>
            <FilledWith label="Recipients" parts={line.to} onChange={(to) => onChange({ ...line, to })} />
          </PanelRow>
        )}
        <PanelRow name="Subject" problem={wrong("subject")}>
          <FilledWith label="Email subject" parts={line.subject} onChange={(subject) => onChange({ ...line, subject })} />
        </PanelRow>
        {line.paragraphs.map((parts, at) => (
          <PanelRow key={at} name={at === 0 ? "Text" : ""} problem={wrong(`p${at}`)}>
            <div className="row">
              <div className="grow">
                <FilledWith label={`Paragraph ${at + 1}`} parts={parts} onChange={(next) => paragraph(at, next)} />
              </div>
              {line.paragraphs.length > 1 && (
                <button className="link" aria-label={`Remove paragraph ${at + 1}`} onClick={() => paragraph(at, null)}>
                  ×
                </button>
              )}
            </div>
          </PanelRow>
        ))}
        <PanelRow name="">
          <button className="link" onClick={() => onChange({ ...line, paragraphs: [...line.paragraphs, []] })}>
            + Add paragraph
          </button>
        </PanelRow>
        <MailRows line={line} list={list} problem={wrong("rows")} onChange={onChange} />
      </div>
      <MailPreview cell={cell} />
    </div>
  );
}
