import { MenuItem, Select } from "@mui/material";
import { FilledWith } from "../../screens/timetable/FilledWith";
import { newId, type Ask, type Cell, type Rehearsal } from "../../screens/timetable/model";

interface Props {
  line: Ask;
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  onChange: (line: Ask) => void;
}

/** What is asked, which values are shown and can be edited, and what a no does. */
export function AskPanel({ line, cell, findings, onChange }: Props) {
  type Shown = Ask["shown"][number];
  const set = (key: string, next: Shown | null) =>
    onChange({ ...line, shown: line.shown.flatMap((v) => (v.key === key ? (next ? [next] : []) : [v])) });
  const note = cell?.state === "put_right" ? `! ${cell.note}` : cell?.note;
  return (
    <>
      <div className="row below-1">
        <span>Ask</span>
        <div className="grow">
          <FilledWith label="Question" parts={line.asking} onChange={(asking) => onChange({ ...line, asking })} />
        </div>
      </div>
      {note && <p className={cell?.state === "put_right" ? "bad" : "quiet"}>{note}</p>}
      {line.shown.length > 0 && (
        <table aria-label="Values to review and edit">
          <colgroup>
            <col className="w-168" />
            <col />
            <col className="quarter" />
            <col className="w-40" />
          </colgroup>
          <thead>
            <tr>
              <th>Shown as</th>
              <th>Filled with</th>
              <th>Gives</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {line.shown.map((value) => {
              const part = cell?.parts.find((p) => p.key === value.key);
              const sentence = part?.sentence || findings.find((f) => f.key === value.key)?.sentence;
              return (
                <tr key={value.key}>
                  <td className="wrap">
                    <input
                      className="find flush"
                      aria-label="Name of the value"
                      value={value.name}
                      onChange={(event) => set(value.key, { ...value, name: event.target.value })}
                    />
                  </td>
                  <td className="wrap">
                    {value.made.kind === "filled" && (
                      <FilledWith
                        label={`${value.name} is filled with`}
                        parts={value.made.filling}
                        onChange={(filling) => set(value.key, { ...value, made: { kind: "filled", filling } })}
                      />
                    )}
                  </td>
                  <td className="wrap">{sentence ? <span className="bad">! {sentence}</span> : part?.shown}</td>
                  <td>
                    <button className="link" aria-label={`Remove ${value.name}`} onClick={() => set(value.key, null)}>
                      ×
                    </button>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      <div className="flush around-1">
        <button
          className="link"
          onClick={() =>
            onChange({
              ...line,
              shown: [...line.shown, { key: newId(), name: `Value ${line.shown.length + 1}`, made: { kind: "filled", filling: [] } }],
            })
          }
        >
          + Add value to review
        </button>
      </div>
      <div className="row">
        <span>If the answer is no</span>
        <Select
          value={line.no}
          SelectDisplayProps={{ "aria-label": "If the answer is no" }}
          onChange={(event) => onChange({ ...line, no: event.target.value as Ask["no"] })}
        >
          <MenuItem value="pass_by">skip the item</MenuItem>
          <MenuItem value="go_on">continue; lines below can use the answer</MenuItem>
        </Select>
      </div>
      <p className="quiet">The run waits for an answer in Needs you. Its values don’t change meanwhile.</p>
    </>
  );
}
