import { Button } from "@mui/material";
import { useState, type ReactNode } from "react";
import { Link } from "react-router";
import { TEXT_FIELD, type Field, type RecordOut, type Wire } from "../../api/queries";
import type { Schemas } from "../../api/client";
import { FieldEditor } from "../../fields/FieldEditor";
import { dateTime, relative } from "../../parts/dates";
import { History } from "./History";
import { RecordButtons } from "./RecordButtons";
import { RecordFields } from "./RecordFields";
import { RecordText } from "./RecordText";
import type { RefusedEdit } from "./useWriting";

interface Props {
  detail: Schemas["RecordDetail"];
  zone: string;
  /** The links beside the heading: to the page, back to the table. */
  ways: ReactNode;
  /** The heading is the screen's own. */
  page?: boolean;
  refused: RefusedEdit | null;
  onEdit: (record: RecordOut, field: Field, value: Wire) => void;
  onDelete: () => void;
  onUndo: (seq: number) => void;
}

/** A record: its text in the main column where there is one, else its fields; where values came from in one line, or for each. */
export function RecordView({ detail, zone, ways, page = false, refused, onEdit, onDelete, onUndo }: Props) {
  const { record, database, origins } = detail;
  const [renaming, setRenaming] = useState<RecordOut | null>(null);
  const [history, setHistory] = useState(false);
  const [sources, setSources] = useState(false);
  const title = database.fields[0];
  const text = database.fields.find((f) => f.id === TEXT_FIELD);
  const written = !!text && !!record.values[text.id];
  const Heading = page ? "h1" : "h2";
  const fields = <RecordFields detail={detail} zone={zone} origins={sources} refused={refused} onEdit={onEdit} />;
  const words = text && (
    <RecordText
      field={text}
      record={record}
      onSave={(of, next) => onEdit(of, text, next)}
      origin={sources ? origins[TEXT_FIELD]?.words : undefined}
    />
  );
  return (
    <>
      <div className="row top">
        <Heading className="grow">
          {title && renaming ? (
            <FieldEditor
              field={title}
              value={record.values[title.id]}
              zone={zone}
              onDone={(next) => {
                setRenaming(null);
                if (next !== undefined) onEdit(renaming, title, next);
              }}
            />
          ) : (
            <span className="name" onDoubleClick={() => setRenaming(record)}>
              {String((title && record.values[title.id]) ?? "Untitled")}
            </span>
          )}
        </Heading>
        <button className="link" onClick={() => setHistory(!history)}>
          {history ? "Show record" : "Show history"}
        </button>
        {ways}
      </div>
      <p className="sub below-2">
        <Captured detail={detail} zone={zone} /> ·{" "}
        <button className="link" aria-pressed={sources} onClick={() => setSources(!sources)}>
          {sources ? "Hide sources" : "Show sources"}
        </button>
      </p>
      <RecordButtons database={database.id} record={record.id} />
      {history ? (
        <History detail={detail} zone={zone} onUndo={onUndo} />
      ) : written ? (
        <div className="body">
          <div>{words}</div>
          {fields}
        </div>
      ) : (
        <div className="body alone">
          {fields}
          {words}
        </div>
      )}
      <p className="row wrapped above-4">
        <Button color="error" onClick={onDelete}>
          Delete
        </Button>
        <span className="quiet">
          Version {record.version}, changed {relative(record.changed_at)}
        </span>
      </p>
    </>
  );
}

/** Where the record as a whole came from, in one line. */
function Captured({ detail, zone }: Pick<Props, "detail" | "zone">) {
  const { captured, source, source_link, record } = detail;
  if (!captured?.run)
    return (
      <>
        {captured?.words}, {dateTime(record.created_at, zone)}
      </>
    );
  return (
    <>
      <span className="mk ok">●</span>captured {dateTime(captured.at, zone)} from{" "}
      {source_link ? (
        <a href={source_link} target="_blank" rel="noreferrer">
          {source ?? captured.words}
        </a>
      ) : (
        captured.words
      )}{" "}
      · <Link to={`/runs/${captured.run}`}>Open run</Link>
    </>
  );
}
