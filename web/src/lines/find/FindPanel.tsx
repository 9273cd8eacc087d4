import { MenuItem, Select } from "@mui/material";
import { useTypeOf, type Database } from "../../api/queries";
import { relative } from "../../parts/dates";
import { DatabaseSelect } from "../../screens/timetable/DatabaseSelect";
import { FilledWith } from "../../screens/timetable/FilledWith";
import { FindAll } from "./FindAll";
import { useLine } from "../../screens/timetable/lineContext";
import type { Carried, Cell, Find, Rehearsal, Sought } from "../../screens/timetable/model";

interface Props {
  line: Find;
  databases: Database[];
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  onChange: (line: Find) => void;
}

/** To begin with, compare the field that tells records apart best: an address where both sides have one, else the title. */
function begin(database: Database, carried: Carried[], typeOf: ReturnType<typeof useTypeOf>): Sought[] {
  const tells = (type: string) => !!typeOf(type)?.tells_apart && !typeOf(type)?.is_text && !typeOf(type)?.is_address;
  const address = database.fields.find((f) => tells(f.type));
  const of = address && carried.find((c) => c.type === address.type);
  if (address && of) return [{ field: address.id, operator: "is", filling: [{ ref: { line: of.line, value: of.key } }], named: "" }];
  return database.fields.slice(0, 1).map((f) => ({ field: f.id, operator: "is", filling: [], named: "" }));
}

/** What is looked for, and what was found for the chosen sample. */
export function FindPanel({ line, databases, cell, findings, onChange }: Props) {
  const { carried } = useLine();
  const typeOf = useTypeOf();
  const database = databases.find((d) => d.id === line.database);
  const set = (at: number, next: Sought | null) =>
    onChange({ ...line, sought: line.sought.flatMap((s, n) => (n === at ? (next ? [next] : []) : [s])) });
  const fresh = database?.fields.find((f) => !line.sought.some((s) => s.field === f.id)) ?? database?.fields[0];
  return (
    <>
      <div className="row below-1">
        <DatabaseSelect
          words="Find in"
          label="Database to search"
          value={line.database}
          databases={databases}
          onChange={(d) => onChange({ ...line, database: d.id, sought: begin(d, carried, typeOf) })}
        />
        {line.sought.length > 1 && (
          <Select
            value={line.mode}
            SelectDisplayProps={{ "aria-label": "All or any field" }}
            onChange={(event) => onChange({ ...line, mode: event.target.value as Find["mode"] })}
          >
            <MenuItem value="all">where all are true</MenuItem>
            <MenuItem value="any">where any is true</MenuItem>
          </Select>
        )}
      </div>
      {database && line.sought.length > 0 && (
        <table aria-label="Fields to compare">
          <colgroup>
            <col className="w-168" />
            <col className="w-112" />
            <col />
            <col className="quarter" />
            <col className="w-40" />
          </colgroup>
          <thead>
            <tr>
              <th>Field</th>
              <th>How</th>
              <th>Compared with</th>
              <th>With this sample</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {line.sought.map((sought, at) => (
              <Row
                key={at}
                sought={sought}
                database={database}
                part={cell?.parts.find((p) => p.key === String(at))}
                finding={findings.find((f) => f.key === String(at))}
                set={(next) => set(at, next)}
                remedy={(all) => onChange({ ...line, sought: all })}
              />
            ))}
          </tbody>
        </table>
      )}
      {database && fresh && (
        <div className="flush around-1">
          <button
            className="link"
            onClick={() =>
              onChange({
                ...line,
                sought: [...line.sought, { field: fresh.id, operator: typeOf(fresh.type)?.operators[0] ?? "is", filling: [], named: "" }],
              })
            }
          >
            + Compare another field
          </button>
        </div>
      )}
      {database && <Outcomes line={line} onChange={onChange} />}
      {database && line.several === "all" && <FindAll line={line} database={database} findings={findings} onChange={onChange} />}
      {database && cell && <Found cell={cell} />}
    </>
  );
}

interface RowProps {
  sought: Sought;
  database: Database;
  part: Cell["parts"][number] | undefined;
  finding: Rehearsal["findings"][number] | undefined;
  set: (next: Sought | null) => void;
  remedy: (all: Sought[]) => void;
}

function Row({ sought, database, part, finding, set, remedy }: RowProps) {
  const { rehearsal } = useLine();
  const typeOf = useTypeOf();
  const fields = [...database.fields, ...database.own_data];
  const field = fields.find((f) => f.id === sought.field);
  const words = rehearsal?.operator_words ?? {};
  const sentence = part?.sentence || finding?.sentence;
  const bad = part ? part.state === "put_right" : !!finding;
  return (
    <tr>
      <td className="wrap">
        <Select
          value={field ? field.id : ""}
          displayEmpty
          fullWidth
          SelectDisplayProps={{ "aria-label": "Field to compare" }}
          onChange={(event) => {
            const next = fields.find((f) => f.id === event.target.value);
            const fits = typeOf(next?.type)?.operators ?? [];
            if (next)
              set({ ...sought, field: next.id, operator: fits.includes(sought.operator) ? sought.operator : (fits[0] ?? sought.operator) });
          }}
        >
          {!field && (
            <MenuItem value="" disabled>
              {sought.named || "a field"}: deleted
            </MenuItem>
          )}
          {fields.map((f) => (
            <MenuItem key={f.id} value={f.id}>
              {f.name}&nbsp;<small className="quiet">{typeOf(f.type)?.name}</small>
            </MenuItem>
          ))}
        </Select>
        {field && sought.named && sought.named !== field.name && <span className="look">renamed, was “{sought.named}”</span>}
      </td>
      <td className="wrap">
        <Select
          value={sought.operator}
          fullWidth
          SelectDisplayProps={{ "aria-label": "How it compares" }}
          onChange={(event) => set({ ...sought, operator: event.target.value as Sought["operator"] })}
        >
          {(typeOf(field?.type)?.operators ?? [sought.operator]).map((o) => (
            <MenuItem key={o} value={o}>
              {words[o] ?? o}
            </MenuItem>
          ))}
        </Select>
      </td>
      <td className="wrap">
        {sought.operator !== "filled" && sought.operator !== "empty" && (
          <FilledWith
            label={`${field?.name ?? sought.named} is compared with`}
            parts={sought.filling}
            choices={field?.choices.map((c) => c.name)}
            onChange={(filling) => set({ ...sought, filling })}
          />
        )}
      </td>
      <td className="wrap">
        {part && !bad && <span className="clip">{part.shown}</span>}{" "}
        {sentence && <span className={bad ? "bad" : "quiet"}>{`${bad ? "! " : ""}${sentence}`}</span>}
        {finding?.remedies.map((r) => (
          <span key={r.label}>
            {" · "}
            <button className="link" onClick={() => r.sought && remedy(r.sought)}>
              {r.label}
            </button>
          </span>
        ))}
      </td>
      <td>
        <button className="link" aria-label={`Remove ${field?.name ?? sought.named}`} onClick={() => set(null)}>
          ×
        </button>
      </td>
    </tr>
  );
}

function Outcomes({ line, onChange }: { line: Find; onChange: (line: Find) => void }) {
  return (
    <div className="row flush around-1">
      <span>If several match</span>
      <Select
        value={line.several}
        SelectDisplayProps={{ "aria-label": "If several match" }}
        onChange={(event) => onChange({ ...line, several: event.target.value as Find["several"] })}
      >
        <MenuItem value="newest">use the newest</MenuItem>
        <MenuItem value="oldest">use the oldest</MenuItem>
        <MenuItem value="all">use all of them</MenuItem>
        <MenuItem value="stop">stop with a problem</MenuItem>
      </Select>
      <span>; if none match</span>
      <Select
        value={line.none}
        SelectDisplayProps={{ "aria-label": "If none match" }}
        onChange={(event) => onChange({ ...line, none: event.target.value as Find["none"] })}
      >
        <MenuItem value="go_on">continue with empty values</MenuItem>
        <MenuItem value="stop">skip the item</MenuItem>
      </Select>
    </div>
  );
}

/** What was found, and how long ago that was read. */
function Found({ cell }: { cell: Cell }) {
  const { readAgain } = useLine();
  if (cell.state === "waiting")
    return (
      <p className="quiet" role="status">
        Loading …
      </p>
    );
  if (cell.state === "not_reached" || cell.state === "unready") return null;
  return (
    <p>
      <b>{cell.note}</b>
      {cell.read_at && (
        <span className="quiet">
          {" "}
          · read {relative(cell.read_at)} ·{" "}
          <button className="link" onClick={readAgain}>
            Refresh
          </button>
        </span>
      )}
    </p>
  );
}
