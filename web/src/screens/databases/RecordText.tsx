import { Button } from "@mui/material";
import { useState } from "react";
import type { Field, RecordOut, Wire } from "../../api/queries";
import { Markdown } from "../../parts/Markdown";

interface Props {
  field: Field;
  record: RecordOut;
  origin: string | undefined;
  onSave: (of: RecordOut, text: Wire) => void;
}

/** The record's own text, in Markdown: read, or written in a plain box. */
export function RecordText({ field, record, origin, onSave }: Props) {
  const [draft, setDraft] = useState<{ text: string; of: RecordOut } | null>(null);
  const value = String(record.values[field.id] ?? "");
  if (draft === null) {
    return (
      <>
        {value && (
          <div className="md">
            <Markdown>{value}</Markdown>
          </div>
        )}
        <p className="quiet fine">
          {origin}{" "}
          <button className="link" onClick={() => setDraft({ text: value, of: record })}>
            {value ? "Edit text" : "Add text"}
          </button>
        </p>
      </>
    );
  }
  return (
    <>
      <textarea
        className="find long"
        aria-label={field.name}
        autoFocus
        value={draft.text}
        onChange={(e) => setDraft({ ...draft, text: e.target.value })}
      />
      <div className="row">
        <Button
          variant="contained"
          onClick={() => {
            if (draft.text !== String(draft.of.values[field.id] ?? "")) onSave(draft.of, draft.text || null);
            setDraft(null);
          }}
        >
          Save
        </Button>
        <Button onClick={() => setDraft(null)}>Cancel</Button>
      </div>
    </>
  );
}
