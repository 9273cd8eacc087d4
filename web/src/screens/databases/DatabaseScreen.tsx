import { Button } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo, useState } from "react";
import { Navigate, useNavigate, useParams } from "react-router";
import { answer, client, said } from "../../api/client";
import { useMe, type Database, type Field, type RecordOut, type Wire } from "../../api/queries";
import { useNarrow } from "../../parts/useNarrow";
import { KINDS } from "../../views/kinds";
import { isPlain, useFigures, usePlacesOf } from "../../views/queries";
import { SaveView } from "../../views/SaveView";
import { Sentence } from "../../views/Sentence";
import { useView } from "../../views/useView";
import { ViewTitle } from "../../views/ViewTitle";
import { Clash } from "./Clash";
import { counted } from "./counted";
import { DatabaseButtons } from "./DatabaseButtons";
import { FieldsDialog } from "./FieldsDialog";
import { RecordSide } from "./RecordSide";
import { useWriting } from "./useWriting";

/** A database in one of its views, with a record at the side. */
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
  return database.data ? <Viewed key={id} database={database.data} record={record} /> : <main />;
}

function Viewed({ database, record }: { database: Database; record: number | null }) {
  const { id } = database;
  const navigate = useNavigate();
  const zone = useMe().data?.timezone ?? "UTC";
  const viewing = useView(id);
  const { view, kept, search } = viewing;
  const { edit, editAll, add, remove, undo, clash, settle, refused } = useWriting(id, search);
  const [fieldsOpen, setFieldsOpen] = useState(false);
  const [naming, setNaming] = useState<"new" | "rename" | null>(null);
  const [picked, setPicked] = useState<ReadonlySet<number>>(new Set());
  const places = usePlacesOf(id, view, kept?.id ?? null, viewing.choices !== undefined);
  const figures = useFigures(id, view, database.more); // of many records it is not known how many there are
  const [good, setGood] = useState(places.data); // what was shown last stays until the view can be answered again
  if (places.data && places.data !== good) setGood(places.data);
  const groups = useMemo(() => joined(good?.pages.flatMap((p) => p.groups) ?? []), [good]);
  const fields = useMemo(() => [...database.fields, ...database.own_data], [database]);
  const { hasNextPage, isFetching, fetchNextPage } = places;
  const more = useCallback(() => {
    if (hasNextPage && !isFetching) void fetchNextPage();
  }, [hasNextPage, isFetching, fetchNextPage]);
  const onEdit = (of: RecordOut, field: Field, value: Wire) => edit.mutate({ record: of, values: { [field.id]: value } });
  const read = groups.reduce((sum, g) => sum + g.records.length, 0);
  const shown = figures.data && (database.more || !isPlain(view)) ? figures.data.records : undefined;
  const standing = view.group ? (figures.data?.groups.reduce((sum, g) => sum + g.records, 0) ?? 0) : (shown ?? database.records ?? 0);
  const Shows = KINDS[view.kind ?? "table"].Shows;
  const title = database.fields[0];
  const isEmpty = good !== undefined && read === 0;
  return (
    <main>
      <div className="row head">
        <ViewTitle name={database.name} database={id} viewing={viewing} onName={setNaming} />
        <span className="quiet">
          {shown?.toLocaleString("en-GB") ?? counted(database)} {(shown ?? database.records) === 1 ? "record" : "records"}
        </span>
        <DatabaseButtons
          database={database}
          chosen={picked}
          onDone={() => setPicked(new Set())}
          onEdits={(edits, did) => editAll.mutate({ edits, did })}
        />
        <Button onClick={() => setFieldsOpen(true)}>Fields</Button>
        <Button variant="contained" onClick={() => title && add.mutate({ values: { [title.id]: "New record" }, view })}>
          Add record
        </Button>
      </div>
      <Sentence
        viewing={viewing}
        fields={fields}
        problem={places.error ?? figures.error}
        saving={<SaveView database={id} viewing={viewing} naming={naming} onNaming={setNaming} />}
      />
      <div className={record === null ? "split alone" : "split"}>
        {isEmpty && view.kind === "table" ? (
          <div className="empty">
            <h2>{database.records ? "No matching records" : "No records yet"}</h2>
            <p>
              {database.records
                ? "No record is as this view asks. Change the view to see others."
                : "Add a record, type one into the capture line above, or let a workflow add them."}
            </p>
          </div>
        ) : (
          <Shows
            key={`${kept?.id ?? 0} ${view.kind}`}
            database={database}
            fields={fields}
            viewing={viewing}
            groups={groups}
            figures={figures.data}
            total={Math.max(read, hasNextPage ? standing : 0)}
            more={more}
            chosen={record}
            zone={zone}
            picked={picked}
            onPick={setPicked}
            refused={refused}
            onOpen={(of) => void navigate(`/databases/${id}/${of}${search}`)}
            onEdit={onEdit}
            onEdits={(edits, did) => editAll.mutate({ edits, did })}
          />
        )}
        {record !== null && (
          <RecordSide
            key={record}
            database={id}
            record={record}
            search={search}
            zone={zone}
            refused={refused}
            onEdit={onEdit}
            onDelete={() => remove.mutate(record)}
            onUndo={(seq) => undo.mutate(seq)}
          />
        )}
      </div>
      {clash && <Clash clash={clash} database={database} zone={zone} onMine={() => settle(true)} onTheirs={() => settle(false)} />}
      {fieldsOpen && <FieldsDialog database={database} onClose={() => setFieldsOpen(false)} />}
    </main>
  );
}

/** The groups of all pages: one that begins on a page and goes on in the next is one. */
function joined(groups: { key: string | null; records: number[] }[]) {
  const found = new Map<string | null, number[]>();
  for (const { key, records } of groups) found.set(key, [...(found.get(key) ?? []), ...records]);
  return [...found].map(([key, records]) => ({ key, records }));
}
