import { useState } from "react";
import type { Database, Sample } from "../../api/queries";
import { TYPE_WORDS } from "../databases/values";
import { DatabaseSelect } from "./DatabaseSelect";
import { FilledWith } from "./FilledWith";
import { Suggested, SuggestionsHead, useSuggestions } from "./Suggestions";
import { MakeDatabase } from "./MakeDatabase";
import { fill, fillingOf, type Add, type Cell, type Rehearsal } from "./model";

interface Props {
  line: Add;
  when: string;
  databases: Database[];
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  sample: Sample | undefined;
  onChange: (line: Add) => void;
}

/** The target of an Add line, and for each of its fields what fills it and what that gives with the chosen sample. */
export function AddPanel({ line, when, databases, cell, findings, sample, onChange }: Props) {
  const [making, setMaking] = useState(false);
  const database = databases.find((d) => d.id === line.database);
  const suggested = useSuggestions(line);
  return (
    <>
      <div className="row" style={{ marginBottom: 6 }}>
        <DatabaseSelect words="Add to" label="Database to add to" value={line.database} databases={databases} onChange={(d) => onChange({ ...line, database: d.id })} />
        <button className="link" onClick={() => setMaking(true)}>
          {database ? "make another from the sample" : "make a database from the sample"}
        </button>
      </div>
      {line.database != null && !database && (
        <div className="note bad">The database that this line adds to was deleted. Choose another one; what was filled is kept.</div>
      )}
      {database && <SuggestionsHead suggested={suggested} line={line} onChange={onChange} />}
      {database && (
        <table aria-label={`Fields of ${database.name}`}>
          <colgroup>
            <col style={{ width: 168 }} />
            <col style={{ width: "38%" }} />
            <col />
          </colgroup>
          <thead>
            <tr>
              <th>Field</th>
              <th>Filled with</th>
              <th>Gives</th>
            </tr>
          </thead>
          <tbody>
            {line.fillings
              .filter((f) => !database.fields.some((d) => d.id === f.field))
              .map((f) => (
                <tr key={f.field}>
                  <td className="bad clip">{f.named || "a field"}: deleted</td>
                  <td colSpan={2} className="wrap">
                    <Gives field={f.field} cell={undefined} findings={findings} line={line} hasSample={false} onChange={onChange} />
                  </td>
                </tr>
              ))}
            {database.fields.map((field) => (
              <tr key={field.id}>
                <td>
                  <span className="field">
                    <span className="clip">
                      <b>{field.name}</b>
                      {field.required && <span aria-label="must be filled"> *</span>}
                    </span>
                    <small>{TYPE_WORDS[field.type]}</small>
                  </span>
                  <Renamed line={line} field={field.id} name={field.name} />
                </td>
                <td className="wrap">
                  <FilledWith
                    label={`${field.name} is filled with`}
                    parts={fillingOf(line, field.id)}
                    choices={field.choices.map((c) => c.name)}
                    onChange={(filling) => onChange(fill(line, [{ field: field.id, filling }]))}
                  />
                </td>
                <td className="wrap">
                  <Gives field={field.id} cell={cell} findings={findings} line={line} hasSample={!!sample} onChange={onChange} />
                  <Suggested suggestion={suggested.find((s) => s.field === field.id)} line={line} onChange={onChange} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {making && <MakeDatabase line={line} when={when} sample={sample} onClose={() => setMaking(false)} onMade={onChange} />}
    </>
  );
}

/** Says that a field has another name than when it was filled; what fills it goes on as before. */
function Renamed({ line, field, name }: { line: Add; field: number; name: string }) {
  const before = line.fillings.find((f) => f.field === field)?.named;
  return before && before !== name ? <span className="look">renamed, was “{before}”</span> : null;
}

interface GivesProps {
  field: number;
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  line: Add;
  hasSample: boolean;
  onChange: (line: Add) => void;
}

/** What a field gets from the chosen sample, or what is wrong with it and the one click that puts it right. */
function Gives({ field, cell, findings, line, hasSample, onChange }: GivesProps) {
  const result = cell?.results.find((r) => r.field === field);
  const finding = findings.find((f) => f.line === line.id && f.field === field);
  const remedies = (result?.remedies.length ? result.remedies : finding?.remedies) ?? [];
  const sentence = result?.sentence || (hasSample && cell?.state !== "not_reached" ? "" : finding?.sentence) || "";
  if (!result && !sentence) return null;
  const marks = { put_right: "bad", look: "look", empty: "quiet", fits: "" } as const;
  const state = (result?.state ?? "put_right") as keyof typeof marks;
  return (
    <>
      {(state === "fits" || state === "empty") && result?.shown && <span className="clip">{result.shown}</span>}
      {sentence && (
        <span className={marks[state]}>
          {state === "put_right" ? "! " : state === "look" ? "? " : ""}
          {sentence}
        </span>
      )}
      {remedies.map((remedy) => (
        <span key={remedy.label}>
          {" · "}
          <button className="link" onClick={() => onChange(fill(line, remedy.fills))}>
            {remedy.label}
          </button>
        </span>
      ))}
    </>
  );
}
