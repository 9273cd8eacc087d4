import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client } from "../../api/client";
import { SeveralEditor } from "../SeveralEditor";
import type { EditorProps } from "../fieldView";
import { recordsOf, type Referred } from "./recordsOf";

/** The records that one refers to: found by their titles. */
export function ReferenceEditor({ field, value, onDone }: EditorProps) {
  const before = recordsOf(value);
  const [chosen, setChosen] = useState(before);
  const [text, setText] = useState("");
  const database = field.refers_to ?? 0;
  const { data: found = [] } = useQuery({
    queryKey: ["titles", database, text],
    queryFn: () =>
      answer(client.GET("/api/v1/databases/{database_id}/titles", { params: { path: { database_id: database }, query: { text } } })),
    placeholderData: keepPreviousData,
  });
  const options: Referred[] = found.map((r) => ({ id: String(r.id), title: r.title, database: String(database) }));
  const ids = (records: Referred[]) => records.map((r) => r.id).join();
  const keep = () =>
    onDone(ids(chosen) === ids(before) ? undefined : chosen.length > 0 ? chosen.map((r) => [r.id, r.title, r.database]) : null);
  return (
    <SeveralEditor<Referred>
      label={field.name}
      options={options}
      filterOptions={(all) => all}
      noOptionsText="No matching records"
      nameOf={(record) => (typeof record === "string" ? record : record.title)}
      keyOf={(record) => (typeof record === "string" ? record : record.id)}
      chosen={chosen}
      onChoose={setChosen}
      text={text}
      onType={setText}
      onKeep={keep}
      onLeave={() => onDone(undefined)}
    />
  );
}
