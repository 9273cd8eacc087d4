import { Button, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, Select } from "@mui/material";
import { useState } from "react";
import { TEXT_FIELD, useMe, type Database, type Wire } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import { FieldEditor } from "../../fields/FieldEditor";
import { reads } from "../../fields";
import { readShown } from "../../views/queries";
import type { RowEdit } from "./useWriting";

interface Props {
  database: Database;
  records: number[];
  many: string;
  onClose: () => void;
  onEdits: (edits: RowEdit[], did: string) => void;
}

const BATCH = 200; // records that are read at once

/** One value for a field of all records that are chosen. */
export function EditMany({ database, records, many, onClose, onEdits }: Props) {
  const zone = useMe().data?.timezone ?? "UTC";
  const { fail } = useNotices();
  const fields = database.fields.filter((f) => f.can_write && f.id !== TEXT_FIELD);
  const [field, setField] = useState(fields[1] ?? fields[0]);
  const [value, setValue] = useState<Wire>(null);
  const [editing, setEditing] = useState(true);
  const save = async () => {
    if (!field) return;
    try {
      const edits: RowEdit[] = [];
      for (let n = 0; n < records.length; n += BATCH)
        for (const { record } of await readShown(database.id, [], records.slice(n, n + BATCH)))
          edits.push({ record, values: { [field.id]: value } });
      onEdits(edits, "Edited");
      onClose();
    } catch (error) {
      fail(error instanceof Error ? error : new Error(String(error)));
    }
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs">
      <DialogTitle>Edit {many}</DialogTitle>
      <DialogContent className="stacked">
        <Select
          value={field?.id ?? ""}
          SelectDisplayProps={{ "aria-label": "Field" }}
          onChange={(event) => {
            setField(fields.find((f) => f.id === event.target.value));
            setValue(null);
            setEditing(true);
          }}
        >
          {fields.map((f) => (
            <MenuItem key={f.id} value={f.id}>
              {f.name}
            </MenuItem>
          ))}
        </Select>
        {field && editing ? (
          <div className="editing">
            <FieldEditor
              key={field.id}
              field={field}
              value={value}
              zone={zone}
              onDone={(next) => {
                setEditing(false);
                if (next !== undefined) setValue(next);
              }}
            />
          </div>
        ) : (
          <p>
            becomes <b>{(field && reads(field, value, zone)) || "empty"}</b>{" "}
            <button className="link" onClick={() => setEditing(true)}>
              Edit value
            </button>
          </p>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" onClick={() => void save()}>
          Save
        </Button>
      </DialogActions>
    </Dialog>
  );
}
