import { Button } from "@mui/material";
import { useState } from "react";
import { answer, client } from "../../api/client";
import type { Database } from "../../api/queries";
import { useDeleting } from "../../parts/Deleting";
import { EditMany } from "./EditMany";
import { usePress } from "./usePress";
import type { RowEdit } from "./useWriting";

interface Props {
  database: Database;
  chosen: ReadonlySet<number>;
  onDone: () => void;
  onEdits: (edits: RowEdit[], did: string) => void;
}

/** Starts workflows by hand, by the database's own buttons and for the records that are chosen; edits and deletes those. */
export function DatabaseButtons({ database, chosen, onDone, onEdits }: Props) {
  const { buttons, press, busy } = usePress(database.id);
  const [editing, setEditing] = useState(false);
  const records = [...chosen];
  const many = records.length === 1 ? "1 record" : `${records.length} records`;
  const { start, dialog } = useDeleting();
  const remove = () =>
    start({
      name: many,
      also: records.length > 1 ? "" : undefined,
      many: true,
      run: () =>
        answer(
          client.POST("/api/v1/databases/{database_id}/records/delete", {
            params: { path: { database_id: database.id } },
            body: { records },
          }),
        ),
      onDone,
    });
  return (
    <>
      {buttons
        .filter((b) => b.of === "database")
        .map((b) => (
          <Button key={b.workflow} disabled={busy} onClick={() => press(b, [], `${b.name} was started.`)}>
            {b.button}
          </Button>
        ))}
      {records.length > 0 && (
        <>
          <span>{many} chosen</span>
          {buttons
            .filter((b) => b.of === "record")
            .map((b) => (
              <Button
                key={b.workflow}
                disabled={busy}
                onClick={() => {
                  press(b, records, `${b.name} was started for ${many}.`);
                  onDone();
                }}
              >
                {b.button ?? `Start ${b.name}`}
              </Button>
            ))}
          <Button onClick={() => setEditing(true)}>Edit {records.length === 1 ? "it" : "them"}</Button>
          <Button color="error" onClick={remove}>
            Delete {records.length === 1 ? "it" : "them"}
          </Button>
          <button className="link" onClick={onDone}>
            Clear selection
          </button>
        </>
      )}
      {dialog}
      {editing && <EditMany database={database} records={records} many={many} onClose={() => setEditing(false)} onEdits={onEdits} />}
    </>
  );
}
