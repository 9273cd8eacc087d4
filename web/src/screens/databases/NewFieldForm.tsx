import { Button, MenuItem, TextField } from "@mui/material";
import { useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { useDatabases, useFieldTypes, useTypeOf, type Database } from "../../api/queries";
import { ChoicesEditor } from "./ChoicesEditor";

interface Props {
  database: Database;
  busy: boolean;
  /** Whether it was added. */
  onAdd: (field: Schemas["NewFieldIn"]) => Promise<boolean>;
}

/** A field to be added: its name, its type, and what that type asks for. */
export function NewFieldForm({ database, busy, onAdd }: Props) {
  const { data: types } = useFieldTypes();
  const typeOf = useTypeOf();
  const databases = useDatabases().data ?? [];
  const [name, setName] = useState("");
  const [type, setType] = useState("text");
  const [choices, setChoices] = useState<string[]>([]);
  const [refersTo, setRefersTo] = useState(0);
  const [backName, setBackName] = useState("");
  const first = useRef<HTMLInputElement>(null);
  const kind = typeOf(type);
  const send = async () => {
    const added = await onAdd({
      name,
      type,
      required: false,
      choices: kind?.has_choices ? choices : [],
      grows: false,
      refers_to: kind?.refers ? refersTo || null : null,
      back_name: backName,
    });
    if (!added) return; // what was entered stays, to be corrected
    setName("");
    setChoices([]);
    setBackName("");
    first.current?.focus();
  };
  return (
    <form
      className="row wrapped above-5"
      onSubmit={(event) => {
        event.preventDefault();
        void send();
      }}
    >
      <TextField className="max-240" inputRef={first} label="New field" value={name} onChange={(e) => setName(e.target.value)} />
      <TextField className="max-240" select label="Type" value={type} onChange={(e) => setType(e.target.value)}>
        {types?.map((t) => (
          <MenuItem key={t.code} value={t.code}>
            {t.name}
          </MenuItem>
        ))}
      </TextField>
      {kind?.has_choices && (
        <ChoicesEditor label="the new field" word={kind.has_many ? "label" : "choice"} choices={choices} onChange={setChoices} />
      )}
      {kind?.refers && (
        <>
          <TextField
            select
            label="Database"
            className="min-150 max-240"
            value={refersTo || ""}
            onChange={(e) => setRefersTo(Number(e.target.value))}
          >
            {databases.map((d) => (
              <MenuItem key={d.id} value={d.id}>
                {d.name}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            label="Field name there"
            className="max-240"
            placeholder={database.name}
            value={backName}
            onChange={(e) => setBackName(e.target.value)}
            slotProps={{ inputLabel: { shrink: true } }}
          />
        </>
      )}
      <Button type="submit" variant="contained" disabled={!name.trim() || (kind?.refers && !refersTo) || busy}>
        Add field
      </Button>
    </form>
  );
}
