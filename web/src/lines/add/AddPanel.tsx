import { MenuItem, Select } from "@mui/material";
import { useState } from "react";
import { useTypeOf, type Database, type Sample } from "../../api/queries";
import { DatabaseSelect } from "../../screens/timetable/DatabaseSelect";
import { FieldsTable } from "../../screens/timetable/FieldsTable";
import { MakeDatabase } from "./MakeDatabase";
import { recordsWord } from "../databaseWords";
import type { AddOrUpdate, Cell, Rehearsal, Adds } from "../../screens/timetable/model";
import { SuggestionsHead, useSuggestions } from "../../screens/timetable/Suggestions";

interface Props {
  line: Adds;
  when: string;
  app: string;
  databases: Database[];
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  sample: Sample | undefined;
  /** Where the items come from. */
  place: string;
  onChange: (line: Adds) => void;
}

/** The database that a line adds to, what fills its fields, and for Add or update how a record is recognised. */
export function AddPanel({ line, when, app, databases, cell, findings, sample, place, onChange }: Props) {
  const [making, setMaking] = useState(false);
  const database = databases.find((d) => d.id === line.database);
  const suggested = useSuggestions(line);
  const words = "by" in line ? "Add to, or update in" : "Add to";
  return (
    <>
      <div className="row below-1">
        <DatabaseSelect
          words={words}
          label="Database to add to"
          value={line.database}
          databases={databases}
          onChange={(d) => onChange({ ...line, database: d.id })}
        />
        <button className="link" onClick={() => setMaking(true)}>
          {database && !database.outside ? "Create another database from the sample" : "Create database from the sample"}
        </button>
      </div>
      {line.database != null && !database && (
        <div className="note bad">This line’s database was deleted. Choose another; your settings are kept.</div>
      )}
      {database && "by" in line && <Recognised line={line} database={database} onChange={onChange} />}
      {database && <SuggestionsHead suggested={suggested} line={line} onChange={onChange} />}
      {database && (
        <FieldsTable
          line={line}
          database={database}
          cell={cell}
          findings={findings}
          hasSample={!!sample}
          suggested={suggested}
          onChange={onChange}
        />
      )}
      {database?.outside?.makes && !database.fields.some((f) => f.can_write) && (
        <p className="note">
          This {database.outside.place_word} has no columns yet. Select <b>As a list</b> beside the sample, then <b>+ field</b> at each
          value that is to have one.
        </p>
      )}
      {making && (
        <MakeDatabase
          line={line}
          when={when}
          app={app}
          sample={sample}
          named={database ? "" : place}
          onClose={() => setMaking(false)}
          onMade={onChange}
        />
      )}
    </>
  );
}

/** By which fields a record is known to be the same, and what happens where several are. */
function Recognised({ line, database, onChange }: { line: AddOrUpdate; database: Database; onChange: (line: AddOrUpdate) => void }) {
  const typeOf = useTypeOf();
  const can = database.fields.filter((f) => typeOf(f.type)?.recognises);
  return (
    <div className="row below-1">
      <span>Match existing {recordsWord(database)} by</span>
      <Select
        multiple
        displayEmpty
        value={line.by.filter((id) => can.some((f) => f.id === id))}
        className="min-150"
        SelectDisplayProps={{ "aria-label": `Match existing ${recordsWord(database)} by` }}
        renderValue={(chosen) => chosen.map((id) => can.find((f) => f.id === id)?.name).join(" and ") || "choose a field"}
        onChange={(event) => onChange({ ...line, by: [event.target.value].flat() })}
      >
        {can.map((f) => (
          <MenuItem key={f.id} value={f.id}>
            {line.by.includes(f.id) ? "✓ " : ""}
            {f.name}
          </MenuItem>
        ))}
      </Select>
      <span>; if several match</span>
      <Select
        value={line.several}
        SelectDisplayProps={{ "aria-label": `If several ${recordsWord(database)} match` }}
        onChange={(event) => onChange({ ...line, several: event.target.value as AddOrUpdate["several"] })}
      >
        <MenuItem value="ask">ask me in Needs you</MenuItem>
        <MenuItem value="stop">stop with a problem</MenuItem>
        <MenuItem value="all">update all of them</MenuItem>
      </Select>
    </div>
  );
}
