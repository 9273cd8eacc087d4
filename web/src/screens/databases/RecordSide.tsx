import { Link } from "react-router";
import { Problem, said } from "../../api/client";
import { useRecord, type Field, type RecordOut, type Wire } from "../../api/queries";
import { RecordView } from "./RecordView";
import type { RefusedEdit } from "./useWriting";

interface Props {
  database: number;
  record: number;
  /** What of the address tells the view beside. */
  search: string;
  zone: string;
  refused: RefusedEdit | null;
  onEdit: (record: RecordOut, field: Field, value: Wire) => void;
  onDelete: () => void;
  onUndo: (seq: number) => void;
}

/** A record beside the table that it is in. */
export function RecordSide({ database, record, search, ...view }: Props) {
  const detail = useRecord(database, record);
  const gone = detail.error instanceof Problem && detail.error.status === 404;
  if (detail.error && (gone || !detail.data)) {
    return (
      <aside className="side">
        <h2>Record not found</h2>
        <p>{said(detail.error)}</p>
      </aside>
    );
  }
  if (!detail.data) return <aside className="side" />;
  const here = `/databases/${database}`;
  return (
    <aside className="side" aria-label="Record">
      <RecordView
        {...view}
        detail={detail.data}
        ways={
          <>
            <Link to={`${here}/${record}/page`}>Open as page</Link>
            <Link to={`${here}${search}`} aria-label="Close record">
              Close
            </Link>
          </>
        }
      />
    </aside>
  );
}
