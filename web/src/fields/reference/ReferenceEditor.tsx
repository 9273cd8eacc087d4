import { Autocomplete, TextField } from "@mui/material";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client } from "../../api/client";
import type { EditorProps } from "../fieldView";
import { recordsOf, type Referred } from "./recordsOf";

/** The records that one refers to: found by their titles. Leaving keeps them, Escape does not. */
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
    <Autocomplete
      multiple
      openOnFocus
      disableCloseOnSelect
      options={options}
      filterOptions={(all) => all}
      getOptionLabel={(r) => r.title}
      getOptionKey={(r) => r.id}
      isOptionEqualToValue={(a, b) => a.id === b.id}
      noOptionsText="No matching records"
      value={chosen}
      inputValue={text}
      onChange={(_, now) => setChosen(now)}
      onInputChange={(_, now) => setText(now)}
      onBlur={keep}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Escape") onDone(undefined);
        if (event.key === "Enter" && !text) keep();
      }}
      renderValue={(records, itemProps) =>
        records.map((record, index) => {
          const { key, onDelete } = itemProps({ index });
          return (
            <span className="label" key={key}>
              {record.title}
              <button
                type="button"
                tabIndex={-1}
                aria-label={`Remove ${record.title}`}
                onMouseDown={(event) => event.preventDefault()}
                onClick={onDelete}
              >
                ×
              </button>
            </span>
          );
        })
      }
      renderInput={(params) => (
        <TextField
          {...params}
          autoFocus
          slotProps={{ ...params.slotProps, htmlInput: { ...params.slotProps.htmlInput, "aria-label": field.name } }}
        />
      )}
    />
  );
}
