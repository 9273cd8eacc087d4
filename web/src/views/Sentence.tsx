import { Popover } from "@mui/material";
import { Fragment, useState, type ReactNode } from "react";
import { said, type Schemas } from "../api/client";
import type { Field } from "../api/queries";
import { useTitleOf } from "../parts/FilterValue";
import { ChangeView, type Part } from "./ChangeView";
import { KINDS } from "./kinds";
import type { Viewing } from "./useView";

interface Props {
  viewing: Viewing;
  fields: Field[];
  /** Why the view cannot be shown as it is now. */
  problem: unknown;
  saving: ReactNode;
}

const JOINED = { all: " and ", any: " or ", none: " or " } as const;

/** What a view shows, as a sentence; each part of it is changed where it stands. */
export function Sentence({ viewing, fields, problem, saving }: Props) {
  const { view, choices } = viewing;
  const [open, setOpen] = useState<{ left: number; top: number; part: Part } | null>(null);
  const named = (id: string | null | undefined) => fields.find((f) => f.id === id);
  const change = (part: Part, children: ReactNode, label?: string) => (
    <button
      className="part"
      aria-label={label}
      aria-haspopup="dialog"
      onClick={(event) => {
        const { left, bottom } = event.currentTarget.getBoundingClientRect(); // it may be another part once it is changed
        setOpen({ left, top: bottom, part });
      }}
    >
      {children}
    </button>
  );
  const words = (figure: string) => choices?.figures.find((f) => f.figure === figure)?.words ?? "";
  const tests = view.filter?.tests ?? [];
  const mode = view.filter?.mode ?? "all";
  const group = named(view.group);
  return (
    <div className="sentence">
      <span>
        Shows{" "}
        {tests.length === 0 ? (
          change("filter", "all records")
        ) : (
          <>
            records where{mode === "none" ? " not " : " "}
            {tests.map((test, n) => (
              <Fragment key={n}>
                {n > 0 && JOINED[mode]}
                {change(
                  "filter",
                  <Condition test={test} field={named(test.field)} comparing={choices?.fields[test.field]?.comparing ?? []} />,
                )}
              </Fragment>
            ))}
          </>
        )}
        {KINDS[view.kind].isDated ? (
          <> by {change("by", named(view.by)?.name ?? "a date")}, those without a date in the margin</>
        ) : (
          <>
            {group && (
              <>
                , {view.kind === "board" ? "side by side by" : "grouped by"} {change("group", group.name)}
              </>
            )}
            ,{" "}
            {change(
              "order",
              view.order?.length
                ? view.order
                    .map((o) => `${named(o.field)?.name ?? ""} ${choices?.fields[o.field]?.orders[o.descending ? 1 : 0] ?? ""}`)
                    .join(", then ")
                : "newest first",
            )}
            {!!view.totals?.length && (
              <>
                , with{" "}
                {change("totals", view.totals.map((t) => `${words(t.figure).toLowerCase()} of ${named(t.field)?.name ?? ""}`).join(", "))}
              </>
            )}
          </>
        )}
        . <span className="all">{change("all", "Change view")}</span>
      </span>
      {saving}
      {problem != null && open === null && (
        <span className="bad" role="alert">
          {said(problem)}
        </span>
      )}
      <Popover
        open={open !== null}
        anchorReference="anchorPosition"
        anchorPosition={open ?? undefined}
        onClose={() => setOpen(null)}
        slotProps={{ paper: { "aria-label": "Change view", role: "dialog" } }}
      >
        {open && <ChangeView part={open.part} viewing={viewing} fields={fields} problem={problem} />}
      </Popover>
    </div>
  );
}

interface ConditionProps {
  test: Schemas["TestBody"];
  field: Field | undefined;
  comparing: Schemas["ComparingOut"][];
}

function Condition({ test, field, comparing }: ConditionProps) {
  const operator = comparing.find((c) => c.operator === test.operator);
  const title = useTitleOf(field?.refers_to, field?.refers_to != null ? (test.value ?? "") : "");
  return (
    <>
      {field?.name} <span>{operator?.words}</span> {operator?.needs_value && (title ?? (test.value || "…"))}
    </>
  );
}
