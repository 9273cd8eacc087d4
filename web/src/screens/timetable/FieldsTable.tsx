import { useTypeOf, type Database } from "../../api/queries";
import { viewOf } from "../../lines";
import { FilledWith } from "./FilledWith";
import { IfEmpty } from "./IfEmpty";
import { fill, fillingOf, type Cell, type Fills, type Rehearsal } from "./model";
import { useMakeChoice } from "./useMakeChoice";
import { Suggested, type Suggestion } from "./Suggestions";

interface Props<L extends Fills> {
  line: L;
  database: Database;
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  hasSample: boolean;
  suggested: Suggestion[];
  onChange: (line: L) => void;
}

/** The fields of a line's database: what fills each, and what that gives with the chosen sample. */
export function FieldsTable<L extends Fills>({ line, database, cell, findings, hasSample, suggested, onChange }: Props<L>) {
  const typeOf = useTypeOf();
  const makeChoice = useMakeChoice(database);
  const gone = line.fillings.filter((f) => !database.fields.some((d) => d.id === f.field));
  const gives = (field: string, of: Cell | undefined, sample: boolean) => (
    <Gives field={field} cell={of} findings={findings} line={line} hasSample={sample} makeChoice={makeChoice} onChange={onChange} />
  );
  return (
    <table aria-label={`Fields of ${database.name}`}>
      <colgroup>
        <col className="w-168" />
        <col className="third" />
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
        {gone.map((f) => (
          <tr key={f.field}>
            <td className="bad clip">{f.named || "a field"}: deleted</td>
            <td colSpan={2} className="wrap">
              {gives(f.field, undefined, false)}
            </td>
          </tr>
        ))}
        {database.fields
          .filter((f) => f.can_write || fillingOf(line, f.id).length > 0)
          .map((field) => (
            <tr key={field.id}>
              <td>
                <span className="field">
                  <span className="clip">
                    <b>{field.name}</b>
                    {field.required && viewOf(line.verb).adds && <span aria-label="required"> *</span>}
                  </span>
                  <small>{typeOf(field.type)?.name}</small>
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
                <IfEmpty line={line} field={field.id} name={field.name} required={field.required} cell={cell} onChange={onChange} />
              </td>
              <td className="wrap">
                {gives(field.id, cell, hasSample)}{" "}
                <Suggested suggestion={suggested.find((s) => s.field === field.id)} line={line} onChange={onChange} />
              </td>
            </tr>
          ))}
      </tbody>
    </table>
  );
}

/** Says that a field has another name than when it was filled; what fills it goes on as before. */
function Renamed({ line, field, name }: { line: Fills; field: string; name: string }) {
  const before = line.fillings.find((f) => f.field === field)?.named;
  return before && before !== name ? <span className="look">renamed, was “{before}”</span> : null;
}

interface GivesProps<L extends Fills> {
  field: string;
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  line: L;
  hasSample: boolean;
  makeChoice: (field: string, name: string) => void;
  onChange: (line: L) => void;
}

/** What a field gets from the chosen sample, or what is wrong with it and the one click that puts it right. */
function Gives<L extends Fills>({ field, cell, findings, line, hasSample, makeChoice, onChange }: GivesProps<L>) {
  const result = cell?.results.find((r) => r.field === field);
  const finding = findings.find((f) => f.line === line.id && f.field === field);
  const remedies = (result?.remedies.length ? result.remedies : finding?.remedies) ?? [];
  const sentence = result?.sentence || (hasSample && cell?.state !== "not_reached" ? "" : finding?.sentence) || "";
  if (!result && !sentence) return null;
  const marks = { put_right: "bad", look: "look", empty: "quiet", fits: "quiet" } as const;
  const state = (result?.state ?? "put_right") as keyof typeof marks;
  return (
    <>
      {(state === "fits" || state === "empty") && result?.shown && <span className="clip">{result.shown}</span>}{" "}
      {sentence && (
        <span className={marks[state]}>
          {state === "put_right" ? "! " : state === "look" ? "? " : ""}
          {sentence}
        </span>
      )}
      {remedies.map((remedy) => (
        <span key={remedy.label}>
          {" · "}
          <button className="link" onClick={() => (remedy.choice ? makeChoice(field, remedy.choice) : onChange(fill(line, remedy.fills)))}>
            {remedy.label}
          </button>
        </span>
      ))}
    </>
  );
}
