import { Checkbox } from "@mui/material";
import { useState } from "react";
import { answer, client, type Schemas } from "../../api/client";
import { useDatabases, useTypeOf, type Database, type Field } from "../../api/queries";
import { ChoicesEditor } from "./ChoicesEditor";

export type FieldChange = Schemas["FieldChange"];

interface Props {
  database: Database;
  field: Field;
  /** The title of the records: it is required, and stays the first. */
  isTitle: boolean;
  onChange: (change: FieldChange) => void;
  /** Move it one place up or down; none where it cannot be. */
  onMove: { up?: () => void; down?: () => void };
  onRemove: () => void;
}

/** A field of a database: its name, whether it is required, its choices, its place. */
export function FieldRow({ database, field, isTitle, onChange, onMove, onRemove }: Props) {
  const typeOf = useTypeOf();
  const type = typeOf(field.type);
  const databases = useDatabases().data ?? [];
  const [lacking, setLacking] = useState<string | null>(null); // said before it is made required
  const word = type?.has_many ? "label" : "choice";
  const require = async (required: boolean) => {
    if (!required) return onChange({ required });
    const found = await answer(
      client.GET("/api/v1/databases/{database_id}/fields/{field_id}/lacking", {
        params: { path: { database_id: database.id, field_id: field.id } },
      }),
    );
    if (found.records === 0) return onChange({ required });
    setLacking(
      `${found.more ? "Over " : ""}${found.records.toLocaleString("en-GB")} ${found.records === 1 ? "record has" : "records have"}`,
    );
  };
  return (
    <tr>
      <td>
        <KeptText label={`Name of ${field.name}`} value={field.name} onKeep={(name) => onChange({ name })} />
      </td>
      <td>
        {type?.name}
        {field.refers_to != null && <small className="quiet block">{databases.find((d) => d.id === field.refers_to)?.name}</small>}
      </td>
      <td className="wrap">
        <Checkbox
          className="tight"
          checked={field.required}
          disabled={isTitle}
          slotProps={{ input: { "aria-label": `${field.name} is required` } }}
          onChange={(e) => void require(e.target.checked)}
        />
        {lacking && (
          <span role="alert">
            {lacking} no value.{" "}
            <button
              className="link"
              onClick={() => {
                setLacking(null);
                onChange({ required: true });
              }}
            >
              Require anyway
            </button>{" "}
            <button className="link" onClick={() => setLacking(null)}>
              Cancel
            </button>
          </span>
        )}
      </td>
      <td className="wrap">
        {type?.has_choices && (
          <>
            <ChoicesEditor
              label={field.name}
              word={word}
              choices={field.choices.map((c) => c.name)}
              onChange={(choices) => onChange({ choices })}
            />
            <label className="quiet block">
              <Checkbox className="tight" checked={field.grows} onChange={(e) => onChange({ grows: e.target.checked })} /> allow new {word}s
            </label>
          </>
        )}
      </td>
      <td>
        <span className="row close nowrap">
          <button className="link" aria-label={`Move ${field.name} up`} disabled={!onMove.up} onClick={onMove.up}>
            ↑
          </button>
          <button className="link" aria-label={`Move ${field.name} down`} disabled={!onMove.down} onClick={onMove.down}>
            ↓
          </button>
          {!isTitle && (
            <button className="link" onClick={onRemove} aria-label={`Remove ${field.name}`}>
              Remove
            </button>
          )}
        </span>
      </td>
    </tr>
  );
}

/** A text that is kept on leaving or with Enter. */
export function KeptText({ label, value, onKeep }: { label: string; value: string; onKeep: (value: string) => void }) {
  const [text, setText] = useState<string | null>(null);
  return (
    <input
      className="find flush"
      aria-label={label}
      value={text ?? value}
      onChange={(e) => setText(e.target.value)}
      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      onBlur={() => {
        if (text !== null && text !== value) onKeep(text);
        setText(null);
      }}
    />
  );
}
