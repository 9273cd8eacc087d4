import { Link, useParams } from "react-router";
import { Problem, said } from "../../api/client";
import { useMe, useRecord } from "../../api/queries";
import { useNarrow } from "../../parts/useNarrow";
import { Clash } from "./Clash";
import { RecordView } from "./RecordView";
import { useWriting } from "./useWriting";

/** A record on a page of its own. */
export function RecordPage() {
  const params = useParams();
  const [database, record] = [Number(params.database), Number(params.record)];
  const detail = useRecord(database, record);
  const narrow = useNarrow();
  const zone = useMe().data?.timezone ?? "UTC";
  const { edit, remove, undo, clash, settle, refused } = useWriting(database);
  const gone = detail.error instanceof Problem && detail.error.status === 404;
  if (detail.error && (gone || !detail.data)) {
    return (
      <main>
        <div className="empty">
          <h1>Record not found</h1>
          <p>{said(detail.error)}</p>
          <Link to={`/databases/${database}`}>Open database</Link>
        </div>
      </main>
    );
  }
  if (!detail.data) return <main />;
  const of = detail.data.database;
  return (
    <main>
      <article className="record" aria-label="Record">
        <p>
          <Link to={narrow ? `/databases/${database}` : `/databases/${database}/${record}`}>‹ {of.name}</Link>
        </p>
        <RecordView
          key={record}
          page
          detail={detail.data}
          zone={zone}
          refused={refused}
          ways={null}
          onEdit={(kept, field, value) => edit.mutate({ record: kept, values: { [field.id]: value } })}
          onDelete={() => remove.mutate(record)}
          onUndo={(seq) => undo.mutate(seq)}
        />
      </article>
      {clash && <Clash clash={clash} database={of} zone={zone} onMine={() => settle(true)} onTheirs={() => settle(false)} />}
    </main>
  );
}
