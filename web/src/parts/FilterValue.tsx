import { Autocomplete, MenuItem, Select, TextField } from "@mui/material";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useId, useState } from "react";
import { answer, client } from "../api/client";
import { useTypeOf, type Field } from "../api/queries";

interface Props {
  field: Field | undefined;
  /** Words that a value can be typed as. */
  examples: string[];
  /** As it is typed. */
  value: string;
  onChange: (value: string) => void;
}

const LABEL = "Value of the condition";

/** What a condition compares with: one of the field's choices, a record, or what is typed. */
export function FilterValue({ field, examples, value, onChange }: Props) {
  const all = useTypeOf()(field?.type)?.offered ?? [];
  if (field?.choices.length) return <Picked options={field.choices.map((c) => c.name)} value={value} onChange={onChange} />;
  if (all.length) return <Picked options={all} value={value} onChange={onChange} />;
  if (field?.refers_to != null) return <Record database={field.refers_to} value={value} onChange={onChange} />;
  return <Typed examples={examples} value={value} onChange={onChange} />;
}

function Picked({ options, value, onChange }: { options: string[]; value: string; onChange: (value: string) => void }) {
  const found = options.find((o) => o.toLowerCase() === value.toLowerCase()) ?? "";
  return (
    <Select value={found} displayEmpty SelectDisplayProps={{ "aria-label": LABEL }} onChange={(event) => onChange(event.target.value)}>
      <MenuItem value="" disabled>
        choose
      </MenuItem>
      {options.map((o) => (
        <MenuItem key={o} value={o}>
          {o}
        </MenuItem>
      ))}
    </Select>
  );
}

function Typed({ examples, value, onChange }: Omit<Props, "field">) {
  const [text, setText] = useState(value);
  const list = useId();
  const keep = () => text !== value && onChange(text);
  return (
    <>
      <input
        className="find max-200"
        aria-label={LABEL}
        list={examples.length ? list : undefined}
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          if (examples.includes(event.target.value)) onChange(event.target.value);
        }}
        onBlur={keep}
        onKeyDown={(event) => event.key === "Enter" && keep()}
      />
      <datalist id={list}>
        {examples.map((e) => (
          <option key={e} value={e} />
        ))}
      </datalist>
    </>
  );
}

/** The title of a record of a database, by its number. */
export function useTitleOf(database: number | null | undefined, record: string): string | undefined {
  const number = Number(record);
  const { data } = useQuery({
    queryKey: ["record", database, number],
    queryFn: () =>
      answer(
        client.GET("/api/v1/databases/{database_id}/records/{record_id}", {
          params: { path: { database_id: database ?? 0, record_id: number } },
        }),
      ),
    enabled: database != null && Number.isInteger(number) && record !== "",
    retry: false,
  });
  const title = data?.database.fields[0];
  return data && title ? String(data.record.values[title.id] ?? "Untitled") : undefined;
}

function Record({ database, value, onChange }: { database: number; value: string; onChange: (value: string) => void }) {
  const [text, setText] = useState("");
  const title = useTitleOf(database, value);
  const { data: found = [] } = useQuery({
    queryKey: ["titles", database, text],
    queryFn: () =>
      answer(client.GET("/api/v1/databases/{database_id}/titles", { params: { path: { database_id: database }, query: { text } } })),
    placeholderData: keepPreviousData,
  });
  return (
    <Autocomplete
      className="w-220"
      options={found}
      filterOptions={(all) => all}
      getOptionLabel={(record) => record.title || "Untitled"}
      isOptionEqualToValue={(a, b) => a.id === b.id}
      value={title === undefined ? null : { id: Number(value), title }}
      onInputChange={(_, typed, reason) => reason === "input" && setText(typed)}
      onChange={(_, record) => onChange(record ? String(record.id) : "")}
      renderInput={(params) => (
        <TextField {...params} slotProps={{ ...params.slotProps, htmlInput: { ...params.slotProps.htmlInput, "aria-label": LABEL } }} />
      )}
    />
  );
}
