import type { CSSProperties } from "react";
import type { Field } from "../../api/queries";
import { groupName, groupTotals } from "../groupWords";
import type { Figures, View } from "../queries";

interface Props {
  style: CSSProperties;
  field: Field | undefined;
  fields: Field[];
  group: string | null;
  figures: Figures | undefined;
  totals: NonNullable<View["totals"]>;
  zone: string;
  isClosed: boolean;
  onToggle: () => void;
}

/** The head of a group in a table: its name, how many records it has, and its totals. */
export function GroupHead({ style, field, fields, group, figures, totals, zone, isClosed, onToggle }: Props) {
  const of = figures?.groups.find((g) => g.key === group);
  return (
    <div className="tr grouphead" role="row" style={style}>
      <div role="gridcell">
        <button className="link plainly" aria-expanded={!isClosed} onClick={onToggle}>
          <span aria-hidden="true">{isClosed ? "▸" : "▾"}</span> <b>{groupName(field, of, group, zone)}</b>
          {of && <span className="quiet"> · {[String(of.records), ...groupTotals(fields, totals, of.totals, zone)].join(" · ")}</span>}
        </button>
      </div>
    </div>
  );
}
