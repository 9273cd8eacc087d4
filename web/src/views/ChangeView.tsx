import { Checkbox, FormControlLabel, MenuItem, Select } from "@mui/material";
import { useId } from "react";
import { said } from "../api/client";
import type { Field } from "../api/queries";
import { FilterEditor } from "../parts/FilterEditor";
import { ColumnsEditor } from "./ColumnsEditor";
import { KINDS } from "./kinds";
import { MarksEditor } from "./MarksEditor";
import type { View } from "./queries";
import { TotalsEditor } from "./TotalsEditor";
import type { Viewing } from "./useView";

export type Part = "filter" | "by" | "group" | "order" | "totals" | "all";

interface Props {
  part: Part;
  viewing: Viewing;
  fields: Field[];
  problem: unknown;
}

const EMPTY = { mode: "all", tests: [] } as const;
const MAX_ORDERS = 5;

/** The parts of a view, or one of them, to be changed. */
export function ChangeView({ part, viewing, fields, problem }: Props) {
  const { view, edit, choices } = viewing;
  const isDated = !!KINDS[view.kind].isDated;
  const known = choices?.fields ?? {};
  const comparing = Object.fromEntries(Object.entries(known).map(([id, of]) => [id, of.comparing]));
  const shows = (...parts: Part[]) => part === "all" || parts.includes(part);
  return (
    <div className="changing">
      {part === "all" && (
        <section className="row wrapped">
          <b id="shown-as">Shown as:</b>
          <Select
            value={view.kind ?? "table"}
            SelectDisplayProps={{ "aria-labelledby": "shown-as" }}
            onChange={(event) => {
              const kind = event.target.value as NonNullable<View["kind"]>;
              const first = fields.find((f) => known[f.id]?.groups);
              const date = fields.find((f) => known[f.id]?.dates);
              edit({
                kind,
                ...(kind === "board" && !view.group ? { group: first?.id } : {}),
                ...(KINDS[kind].isDated && !view.by ? { by: date?.id } : {}),
              });
            }}
          >
            {Object.entries(KINDS).map(([kind, of]) => (
              <MenuItem key={kind} value={kind}>
                {of.name}
              </MenuItem>
            ))}
          </Select>
        </section>
      )}
      {shows("filter") && (
        <FilterEditor
          name="Records"
          all="all of them"
          fields={fields}
          comparing={comparing}
          filter={view.filter ?? EMPTY}
          onChange={(filter) => edit({ filter })}
        />
      )}
      {isDated && shows("by") && (
        <OneField words="Dated by:" value={view.by} fields={fields.filter((f) => known[f.id]?.dates)} onChange={(by) => edit({ by })} />
      )}
      {!isDated && shows("group") && (
        <OneField
          words="Grouped by:"
          value={view.group}
          none={view.kind !== "board"}
          fields={fields.filter((f) => known[f.id]?.groups)}
          onChange={(group) => edit({ group })}
        />
      )}
      {!isDated && shows("order") && <OrderEditor viewing={viewing} fields={fields.filter((f) => known[f.id]?.sorts)} />}
      {!isDated && shows("totals") && <TotalsEditor viewing={viewing} fields={fields} />}
      {part === "all" && (
        <>
          <ColumnsEditor viewing={viewing} fields={fields} />
          <MarksEditor viewing={viewing} fields={fields} comparing={comparing} />
        </>
      )}
      {problem != null && (
        <p className="bad" role="alert">
          {said(problem)}
        </p>
      )}
    </div>
  );
}

interface OneFieldProps {
  words: string;
  value: string | null | undefined;
  fields: Field[];
  /** No field can be chosen, too. */
  none?: boolean;
  onChange: (field: string | null) => void;
}

function OneField({ words, value, fields, none, onChange }: OneFieldProps) {
  const id = useId();
  return (
    <section className="row wrapped">
      <b id={id}>{words}</b>
      <Select
        value={value ?? ""}
        displayEmpty
        SelectDisplayProps={{ "aria-labelledby": id }}
        onChange={(event) => onChange(event.target.value || null)}
      >
        {none && <MenuItem value="">no field</MenuItem>}
        {fields.map((f) => (
          <MenuItem key={f.id} value={f.id}>
            {f.name}
          </MenuItem>
        ))}
      </Select>
    </section>
  );
}

function OrderEditor({ viewing, fields }: Pick<Props, "viewing" | "fields">) {
  const { view, edit, choices } = viewing;
  const orders = view.order ?? [];
  const unused = fields.find((f) => !orders.some((o) => o.field === f.id));
  return (
    <section className="filtered">
      <div className="row wrapped">
        <b>Order:</b>
        {orders.length === 0 && <span className="quiet">newest first</span>}
        {unused && orders.length < MAX_ORDERS && (
          <button className="link" onClick={() => edit({ order: [...orders, { field: unused.id, descending: false }] })}>
            Add field
          </button>
        )}
      </div>
      {orders.map((one, n) => {
        const change = (next: Partial<typeof one>) => edit({ order: orders.map((o, at) => (at === n ? { ...o, ...next } : o)) });
        const [, falling = "falling"] = choices?.fields[one.field]?.orders ?? [];
        return (
          <div key={n} className="row wrapped">
            <Select
              value={one.field}
              SelectDisplayProps={{ "aria-label": n ? `Then by, ${n + 1}` : "Ordered by" }}
              onChange={(event) => change({ field: event.target.value })}
            >
              {fields.map((f) => (
                <MenuItem key={f.id} value={f.id}>
                  {f.name}
                </MenuItem>
              ))}
            </Select>
            <FormControlLabel
              control={<Checkbox checked={!!one.descending} onChange={(event) => change({ descending: event.target.checked })} />}
              label={falling}
            />
            <button className="link" aria-label="Remove from order" onClick={() => edit({ order: orders.filter((_, at) => at !== n) })}>
              ×
            </button>
          </div>
        );
      })}
    </section>
  );
}
