import { Button, Checkbox, MenuItem, Select } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, said } from "../../api/client";
import { useApps, useConnections, type App } from "../../api/queries";
import { ByConnection } from "../../screens/timetable/ByConnection";
import { ContainerBox } from "../../screens/timetable/ContainerBox";
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
  number: "add a number",
  replace: "replace it with a new version",
  skip: "keep the existing file, save nothing",
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
        <FilledWith label="File that is saved" parts={line.file} onChange={(file) => onChange({ ...line, file })} />
      </PanelRow>
      <ByConnection
        name="Saved by"
        label="Connection by which the file is saved"
        can={(a) => a.saves}
        words={{ none: "no connection takes files yet", mayNot: "may not add files yet" }}
        value={line.connection}
        problem={wrong("connection")}
        onChange={(connection) => onChange({ ...line, connection, container: null, container_name: "" })}
      />
      <PanelRow name={made ? "Folder named" : "Folder"} problem={wrong("folder")}>
        {made ? (
          <FilledWith
            label="Name of the folder"
            parts={line.folder}
            onChange={(folder) => onChange({ ...line, folder, container: null, container_name: "" })}
          />
        ) : (
          <Folder line={line} connection={chosen?.id} app={app} onChange={onChange} />
        )}
        <div className="row">
          <button className="link" onClick={() => setMade(!made)}>
            {made ? "choose one folder instead" : "fill its name from values instead"}
          </button>
          {made && (
            <label>
              <Checkbox className="tight" checked={line.makes} onChange={(e) => onChange({ ...line, makes: e.target.checked })} /> make it
              where there is none
            </label>
          )}
        </div>
      </PanelRow>
      <PanelRow name="Name" problem={wrong("name")}>
        <FilledWith label="Name of the file" parts={line.name} onChange={(name) => onChange({ ...line, name })} />
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

interface FolderProps {
  line: SaveFile;
  connection: number | undefined;
  app: App | undefined;
  onChange: (line: SaveFile) => void;
}

/** One folder; one that is not there yet can be made at once. */
function Folder({ line, connection, app, onChange }: FolderProps) {
  const connections = useConnections().data ?? [];
  const [missing, setMissing] = useState("");
  const queries = useQueryClient();
  const take = (container: string, name: string) => {
    setMissing("");
    onChange({ ...line, container, container_name: name, folder: [] });
  };
  const make = useMutation({
    mutationFn: () =>
      answer(
        client.POST("/api/v1/connections/{connection_id}/containers", {
          params: { path: { connection_id: connection ?? 0 } },
          body: { name: missing },
        }),
      ),
    onSuccess: (found) => {
      void queries.invalidateQueries({ queryKey: ["connections", "sight"] });
      take(found.id, found.name);
    },
  });
  return (
    <>
      <ContainerBox
        id="save-folder"
        app={app}
        connection={connections.find((c) => c.id === connection)}
        name={line.container_name}
        onTake={take}
        onUnknown={setMissing}
      />
      {missing && (
        <div className="note">
          No {app?.container_word} “{missing}” is shared with this connection.{" "}
          <Button size="small" onClick={() => make.mutate()} disabled={make.isPending}>
            Make “{missing}”
          </Button>
        </div>
      )}
      {make.error && <div className="note bad">{said(make.error)}</div>}
    </>
  );
}
