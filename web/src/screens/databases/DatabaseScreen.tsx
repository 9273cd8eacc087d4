import { Button } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo, useState } from "react";
import { Navigate, useParams } from "react-router";
import { answer, client, said } from "../../api/client";
import { useNarrow } from "../../parts/useNarrow";
import { useMe, useRecords, type Field, type RecordOut, type Wire } from "../../api/queries";
import { Clash } from "./Clash";
import { DatabaseButtons } from "./DatabaseButtons";
import { FieldsDialog } from "./FieldsDialog";
import { RecordSide } from "./RecordSide";
import { RecordTable } from "./RecordTable";
import { useWriting } from "./useWriting";
import { counted } from "./counted";

/** A database as a table, with a record at the side. */
export function DatabaseScreen() {
  const params = useParams();
  const id = Number(params.database);
  const record = params.record ? Number(params.record) : null;
  const database = useQuery({
    queryKey: ["databases", id],
    queryFn: () => answer(client.GET("/api/v1/databases/{database_id}", { params: { path: { database_id: id } } })),
    retry: false,
  });
  const narrow = useNarrow();
  const pages = useRecords(id);
  const zone = useMe().data?.timezone ?? "UTC";
  const { edit, add, remove, undo, clash, settle, refused } = useWriting(id);
  const [fields, setFields] = useState(false);
  const [picked, setPicked] = useState<ReadonlySet<number>>(new Set());
  const records = useMemo(() => pages.data?.pages.flatMap((p) => p.records) ?? [], [pages.data]);
  const { hasNextPage, isFetching, fetchNextPage } = pages;
  const more = useCallback(() => {
    if (hasNextPage && !isFetching) void fetchNextPage();
  }, [hasNextPage, isFetching, fetchNextPage]);
  const onEdit = (of: RecordOut, field: Field, value: Wire) => edit.mutate({ record: of, values: { [field.id]: value } });

  if (database.error) {
    return (
      <main>
        <div className="empty">
          <h1>Database not found</h1>
          <p>{said(database.error)}</p>
        </div>
      </main>
    );
  }
  if (narrow && record !== null) return <Navigate to={`/databases/${id}/${record}/page`} replace />; // records are pages there
  if (!database.data) return <main />;
  const title = database.data.fields[0];
  return (
    <main>
      <div className="row head">
        <h1 className="grow">
          {database.data.name}
          <span>: all, newest first</span>
        </h1>
        <span className="quiet">
          {counted(database.data)} {database.data.records === 1 ? "record" : "records"}
        </span>
        <DatabaseButtons database={id} chosen={picked} onDone={() => setPicked(new Set())} />
        <Button onClick={() => setFields(true)}>Fields</Button>
        <Button variant="contained" onClick={() => title && add.mutate({ [title.id]: "New record" })}>
          Add record
        </Button>
      </div>
      <div className={record === null ? "split alone" : "split"}>
        {records.length === 0 && pages.data ? (
          <div className="empty">
            <h2>No records yet</h2>
            <p>Add a record, type one into the capture line above, or let a workflow add them.</p>
          </div>
        ) : (
          <RecordTable
            database={database.data}
            records={records}
            chosen={record}
            zone={zone}
            more={more}
            picked={picked}
            onPick={setPicked}
            refused={refused}
            onEdit={onEdit}
          />
        )}
        {record !== null && (
          <RecordSide
            key={record}
            database={id}
            record={record}
            zone={zone}
            refused={refused}
            onEdit={onEdit}
            onDelete={() => remove.mutate(record)}
            onUndo={(seq) => undo.mutate(seq)}
          />
        )}
      </div>
      {clash && <Clash clash={clash} database={database.data} zone={zone} onMine={() => settle(true)} onTheirs={() => settle(false)} />}
      {fields && <FieldsDialog database={database.data} onClose={() => setFields(false)} />}
    </main>
  );
}
