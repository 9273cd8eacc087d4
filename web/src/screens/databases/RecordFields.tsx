import { useState } from "react";
import { Link } from "react-router";
import { TEXT_FIELD, type Field, type RecordOut, type Wire } from "../../api/queries";
import type { Schemas } from "../../api/client";
import { reads, viewOf } from "../../fields";
import { FieldEditor } from "../../fields/FieldEditor";
import { dateTime } from "../../parts/dates";
import type { RefusedEdit } from "./useWriting";

interface Props {
  detail: Schemas["RecordDetail"];
  zone: string;
  /** Whether each field says where its value came from. */
  origins: boolean;
  refused: RefusedEdit | null;
  onEdit: (record: RecordOut, field: Field, value: Wire) => void;
}

/** The fields of a record, each edited where it stands. */
export function RecordFields({ detail, zone, origins, refused, onEdit }: Props) {
  const { record, database } = detail;
  const [editing, setEditing] = useState<{ field: string; of: RecordOut } | null>(null);
  // A value that was refused is in its box again, to be corrected.
  const [seen, setSeen] = useState<RefusedEdit | null>(null);
  if (refused !== seen) {
    setSeen(refused);
    if (refused?.record === record.id) setEditing({ field: refused.field, of: record });
  }
  return (
    <dl className="particulars">
      {database.fields
        .filter((f) => f.id !== TEXT_FIELD)
        .map((f) => (
          <div key={f.id}>
            <dt>{f.name}</dt>
            <dd>
              {editing?.field === f.id ? (
                <FieldEditor
                  field={f}
                  value={record.values[f.id]}
                  zone={zone}
                  refused={refused?.field === f.id ? refused : undefined}
                  onDone={(next) => {
                    setEditing(null);
                    if (next !== undefined) onEdit(editing.of, f, next);
                  }}
                />
              ) : (
                <Value
                  field={f}
                  value={record.values[f.id]}
                  zone={zone}
                  copy={`/api/v1/databases/${database.id}/records/${record.id}/files/${f.id}`}
                  onEdit={() => setEditing({ field: f.id, of: record })}
                />
              )}
              {editing?.field === f.id && refused?.field === f.id && <small className="bad">{refused.problem}</small>}
              {origins && detail.origins[f.id] && (
                <small title={dateTime(detail.origins[f.id]?.at ?? "", zone)}>{detail.origins[f.id]?.words}</small>
              )}
            </dd>
          </div>
        ))}
    </dl>
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
          Edit
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
