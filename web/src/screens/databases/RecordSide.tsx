import { Button } from "@mui/material";
import { useState } from "react";
import Markdown from "react-markdown";
import { Link } from "react-router";
import { Problem, said } from "../../api/client";
import { TEXT_FIELD, useRecord, type Field, type RecordOut, type Wire } from "../../api/queries";
import { reads, viewOf } from "../../fields";
import { FieldEditor } from "../../fields/FieldEditor";
import { dateTime, relative } from "../../parts/dates";
import { History } from "./History";
import { RecordButtons } from "./RecordButtons";

interface Props {
  database: number;
  record: number;
  zone: string;
  onEdit: (record: RecordOut, field: Field, value: Wire) => void;
  onDelete: () => void;
  onUndo: (seq: number) => void;
}

/** What is edited: a field, in the heading or among the others, of the record as it was when that began. */
interface Editing {
  field: string;
  head: boolean;
  of: RecordOut;
}

/** A record at the side: its text as the main column, its fields beside it, each with where it came from. */
export function RecordSide({ database, record, zone, onEdit, onDelete, onUndo }: Props) {
  const detail = useRecord(database, record);
  const [editing, setEditing] = useState<Editing | null>(null);
  const [history, setHistory] = useState(false);
  const gone = detail.error instanceof Problem && detail.error.status === 404;
  if (detail.error && (gone || !detail.data)) {
    return (
      <aside className="side">
        <h2>This record is not here</h2>
        <p>{said(detail.error)}</p>
      </aside>
    );
  }
  if (!detail.data) return <aside className="side" />;
  const { record: kept, database: of, origins, captured, source, source_link } = detail.data;
  const title = of.fields[0];
  const text = of.fields.find((f) => f.id === TEXT_FIELD);
  const value = (f: Field | undefined) => (f ? kept.values[f.id] : null);
  const begin = (field: Field, head = false) => setEditing({ field: field.id, head, of: kept });
  const done = (field: Field) => (next: Wire | undefined) => {
    setEditing(null);
    if (next !== undefined) onEdit(editing?.of ?? kept, field, next);
  };
  return (
    <aside className="side" aria-label="The record">
      <div className="row top">
        <h2 className="grow">
          {title && editing?.head ? (
            <FieldEditor field={title} value={value(title)} zone={zone} onDone={done(title)} />
          ) : (
            <span onDoubleClick={() => title && begin(title, true)}>{String(value(title) ?? "without a name")}</span>
          )}
        </h2>
        <button className="link" onClick={() => setHistory(!history)}>
          {history ? "record" : "history"}
        </button>
        <Link to={`/databases/${database}`} aria-label="Close the record">
          close
        </Link>
      </div>
      <div className="sub below-2">
        {captured?.run ? (
          <>
            <span className="mk ok">●</span>captured {dateTime(captured.at, zone)} from{" "}
            {source_link ? (
              <a href={source_link} target="_blank" rel="noreferrer">
                {source ?? captured.words}
              </a>
            ) : (
              captured.words
            )}{" "}
            · <Link to={`/runs/${captured.run}`}>its run</Link>
          </>
        ) : (
          <>
            {captured?.words}, {dateTime(kept.created_at, zone)}
          </>
        )}
      </div>
      <RecordButtons database={database} record={record} />
      {history ? (
        <History detail={detail.data} zone={zone} onUndo={onUndo} />
      ) : (
        <div className="body">
          <div>
            {text && <RecordText field={text} record={kept} onSave={(of, next) => onEdit(of, text, next)} origin={origins["0"]?.words} />}
          </div>
          <dl className="particulars">
            {of.fields
              .filter((f) => f.id !== TEXT_FIELD)
              .map((f) => (
                <div key={f.id}>
                  <dt>{f.name}</dt>
                  <dd>
                    {editing?.field === f.id && !editing.head ? (
                      <FieldEditor field={f} value={value(f)} zone={zone} onDone={done(f)} />
                    ) : (
                      <Value
                        field={f}
                        value={value(f)}
                        zone={zone}
                        copy={`/api/v1/databases/${database}/records/${record}/files/${f.id}`}
                        onEdit={() => begin(f)}
                      />
                    )}
                    {origins[f.id] && <small title={dateTime(origins[f.id]?.at ?? "", zone)}>{origins[f.id]?.words}</small>}
                  </dd>
                </div>
              ))}
          </dl>
        </div>
      )}
      <p className="row above-4">
        <Button color="error" onClick={onDelete}>
          Delete
        </Button>
        <span className="quiet">
          version {kept.version}, changed {relative(kept.changed_at)}
        </span>
      </p>
    </aside>
  );
}

interface ValueProps {
  field: Field;
  value: Wire | undefined;
  zone: string;
  /** Where a copy of the file is downloaded. */
  copy: string;
  onEdit: () => void;
}

function Value({ field, value, zone, copy, onEdit }: ValueProps) {
  const shown = reads(field, value, zone);
  const leads = shown && value != null ? viewOf(field).leads?.(value, copy) : undefined;
  if (leads) {
    return (
      <span className="row wraps">
        {leads.map((one) =>
          one.here ? (
            <Link key={one.href} className="clip" to={one.href}>
              {one.words}
            </Link>
          ) : (
            <a
              key={one.href}
              className="clip"
              href={one.href}
              {...(one.download ? { download: true, title: "Downloads a copy" } : { target: "_blank", rel: "noreferrer" })}
            >
              {one.words}
            </a>
          ),
        )}
        <button className="link" onClick={onEdit} aria-label={`Edit ${field.name}`}>
          edit
        </button>
      </span>
    );
  }
  return (
    <button className="pt" onClick={onEdit} aria-label={`Edit ${field.name}: ${shown || "—"}`}>
      {shown || <span className="quiet">—</span>}
    </button>
  );
}

/** The record's own text, in Markdown: read, or written in a plain box. */
function RecordText({
  field,
  record,
  origin,
  onSave,
}: {
  field: Field;
  record: RecordOut;
  origin: string | undefined;
  onSave: (of: RecordOut, text: Wire) => void;
}) {
  const [draft, setDraft] = useState<{ text: string; of: RecordOut } | null>(null);
  const value = String(record.values[field.id] ?? "");
  if (draft === null) {
    return (
      <>
        <div className="md">{value ? <Markdown>{value}</Markdown> : <p className="quiet">No text yet.</p>}</div>
        <p className="quiet fine">
          {origin}{" "}
          <button className="link" onClick={() => setDraft({ text: value, of: record })}>
            edit the text
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
