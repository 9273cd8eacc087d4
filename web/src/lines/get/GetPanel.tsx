import { MenuItem, Select } from "@mui/material";
import type { Database } from "../../api/queries";
import { DatabaseSelect } from "../../screens/timetable/DatabaseSelect";
import { FilledWith } from "../../screens/timetable/FilledWith";
import { PanelRow } from "../../screens/timetable/PanelRow";
import type { Cell, Get, Rehearsal } from "../../screens/timetable/model";
import { recordWord } from "../databaseWords";

interface Props {
  line: Get;
  databases: Database[];
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  onChange: (line: Get) => void;
}

/** The record or item that a link leads to, or its number, and what it is for the chosen sample. */
export function GetPanel({ line, databases, cell, findings, onChange }: Props) {
  const database = databases.find((d) => d.id === line.database);
  const word = recordWord(database);
  const part = cell?.parts.find((p) => p.key === "what");
  return (
    <div className="mailing">
      <div>
        <div className="row below-1">
          <DatabaseSelect
            words="Get from"
            label="Database to get from"
            value={line.database}
            databases={databases}
            onChange={(d) => onChange({ ...line, database: d.id })}
          />
        </div>
        {database && (
          <PanelRow name={`Link to the ${word}`} problem={findings.find((f) => f.key === "what")?.sentence}>
            <FilledWith label={`Link to the ${word}`} parts={line.what} onChange={(what) => onChange({ ...line, what })} />
            <span className="quiet">A link that opens it, or its number.</span>
          </PanelRow>
        )}
        {database && (
          <div className="row flush around-1">
            <span>If there is none</span>
            <Select
              value={line.none}
              SelectDisplayProps={{ "aria-label": "If there is none" }}
              onChange={(event) => onChange({ ...line, none: event.target.value as Get["none"] })}
            >
              <MenuItem value="go_on">continue with empty values</MenuItem>
              <MenuItem value="stop">skip the item</MenuItem>
            </Select>
          </div>
        )}
      </div>
      {database && cell && cell.state !== "not_reached" && cell.state !== "unready" && (
        <div>
          {part?.shown && <p className="clip quiet">{part.shown}</p>}
          <p className={cell.state === "put_right" ? "bad" : undefined}>
            <b>{cell.state === "waiting" ? "Loading …" : cell.note}</b>
          </p>
        </div>
      )}
    </div>
  );
}
