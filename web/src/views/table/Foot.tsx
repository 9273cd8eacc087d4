import { Menu, MenuItem } from "@mui/material";
import { useState, type CSSProperties } from "react";
import type { Field } from "../../api/queries";
import { figureReads } from "../figureWords";
import type { Figures, View } from "../queries";
import type { Viewing } from "../useView";
import { PICK } from "./Head";

interface Props {
  viewing: Viewing;
  columns: Field[];
  styleOf: (column: number) => CSSProperties;
  wide: number;
  figures: Figures | undefined;
  zone: string;
}

type FigureOf = NonNullable<NonNullable<View["totals"]>[number]["figure"]>;

/** The totals at the foot of a table, on a double rule as in a ledger; each is chosen where it stands. */
export function Foot({ viewing, columns, styleOf, wide, figures, zone }: Props) {
  const { view, edit, choices } = viewing;
  const [open, setOpen] = useState<{ at: HTMLElement; field: Field } | null>(null);
  const totals = view.totals ?? [];
  const words = (figure: string) => choices?.figures.find((f) => f.figure === figure)?.words ?? "";
  const choose = (figure: FigureOf | null) => {
    if (open) edit({ totals: [...totals.filter((t) => t.field !== open.field.id), ...(figure ? [{ field: open.field.id, figure }] : [])] });
    setOpen(null);
  };
  return (
    <div className="tfoot" role="row" style={{ width: wide }}>
      <div className="td kept" role="gridcell" style={{ width: PICK, left: 0 }} />
      {columns.map((field, n) => {
        const place = totals.findIndex((t) => t.field === field.id);
        const total = totals[place];
        const says = total && `${words(total.figure ?? "sum")} ${figureReads(field, total.figure ?? "sum", figures?.totals[place], zone)}`;
        return (
          <div key={field.id} className={`td${styleOf(n).left !== undefined ? " kept" : ""}`} role="gridcell" style={styleOf(n)}>
            <button
              className="link plainly"
              aria-haspopup="menu"
              aria-label={`Total of ${field.name}${says ? `: ${says}` : ""}`}
              title={says}
              onClick={(event) => setOpen({ at: event.currentTarget, field })}
            >
              {says ? (
                <>
                  <small className="quiet">{words(total.figure ?? "sum")}</small>{" "}
                  <b>{figureReads(field, total.figure ?? "sum", figures?.totals[place], zone)}</b>
                </>
              ) : (
                <small className="quiet add">total</small>
              )}
            </button>
          </div>
        );
      })}
      <Menu anchorEl={open?.at} open={open !== null} onClose={() => setOpen(null)}>
        <MenuItem onClick={() => choose(null)}>No total</MenuItem>
        {(choices?.fields[open?.field.id ?? ""]?.figures ?? []).map((figure) => (
          <MenuItem key={figure} onClick={() => choose(figure)}>
            {words(figure)}
          </MenuItem>
        ))}
      </Menu>
    </div>
  );
}
