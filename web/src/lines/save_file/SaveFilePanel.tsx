import { Checkbox, MenuItem, Select } from "@mui/material";
import { useState } from "react";
import { useApps, useConnections } from "../../api/queries";
import { ByConnection } from "../../screens/timetable/ByConnection";
import { ContainerOrNew } from "../../screens/timetable/ContainerOrNew";
import { FilledWith } from "../../screens/timetable/FilledWith";
import { PanelRow } from "../../screens/timetable/PanelRow";
import type { Cell, Rehearsal, SaveFile } from "../../screens/timetable/model";

interface Props {
  line: SaveFile;
  cell: Cell | undefined;
  findings: Rehearsal["findings"];
  onChange: (line: SaveFile) => void;
}

const TAKEN: Record<SaveFile["collision"], string> = {
  number: "add a number to the name",
  replace: "replace it with a new version",
  skip: "keep the existing file, don’t save",
};

/** Which file is saved, where, and under which name. */
export function SaveFilePanel({ line, cell, findings, onChange }: Props) {
  const apps = useApps().data ?? [];
  const saving = apps.filter((a) => a.saves);
  const connections = (useConnections().data ?? []).filter((c) => saving.some((a) => a.code === c.app));
  const chosen = connections.find((c) => c.id === line.connection);
  const app = saving.find((a) => a.code === chosen?.app) ?? saving[0];
  const [made, setMade] = useState(line.container === null && line.folder.length > 0);
  const wrong = (key: string) => findings.find((f) => f.key === key)?.sentence;
  return (
    <div>
      <PanelRow name="The file" problem={wrong("file")}>
        <FilledWith label="File to save" parts={line.file} onChange={(file) => onChange({ ...line, file })} />
      </PanelRow>
      <ByConnection
        name="Saved by"
        label="Connection to save with"
        can={(a) => a.saves}
        words={{ none: "No connection can save files yet", mayNot: "can’t add files yet" }}
        value={line.connection}
        problem={wrong("connection")}
        onChange={(connection) => onChange({ ...line, connection, container: null, container_name: "" })}
      />
      <PanelRow name={made ? "Folder named" : "Folder"} problem={wrong("folder")}>
        {made ? (
          <FilledWith
            label="Folder name"
            parts={line.folder}
            onChange={(folder) => onChange({ ...line, folder, container: null, container_name: "" })}
          />
        ) : (
          <ContainerOrNew
            id="save-folder"
            app={app}
            connection={chosen}
            name={line.container_name}
            onTake={(container, name) => onChange({ ...line, container, container_name: name, folder: [] })}
          />
        )}
        <div className="row">
          <button className="link" onClick={() => setMade(!made)}>
            {made ? "Choose one folder instead" : "Build the name from values instead"}
          </button>
          {made && (
            <label>
              <Checkbox className="tight" checked={line.makes} onChange={(e) => onChange({ ...line, makes: e.target.checked })} /> create if
              missing
            </label>
          )}
        </div>
      </PanelRow>
      <PanelRow name="Name" problem={wrong("name")}>
        <FilledWith label="File name" parts={line.name} onChange={(name) => onChange({ ...line, name })} />
        <span className="quiet">Leave empty to keep the original name. The extension always stays.</span>
      </PanelRow>
      <PanelRow name="If it is taken">
        <Select
          value={line.collision}
          SelectDisplayProps={{ "aria-label": "If the name is taken" }}
          onChange={(event) => onChange({ ...line, collision: event.target.value })}
        >
          {Object.entries(TAKEN).map(([key, words]) => (
            <MenuItem key={key} value={key}>
              {words}
            </MenuItem>
          ))}
        </Select>
      </PanelRow>
      {cell?.state === "fits" && cell.note && (
        <PanelRow name="Saves">
          <b>{cell.note}</b>
        </PanelRow>
      )}
    </div>
  );
}
