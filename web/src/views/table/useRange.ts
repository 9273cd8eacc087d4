import type { ClipboardEvent } from "react";
import type { Field, Wire } from "../../api/queries";
import { useNotices } from "../../frame/Notices";
import type { RowEdit } from "../../screens/databases/useWriting";
import type { Shown } from "../queries";
import { CELLS, copied, parsed, written } from "./cells";
import type { Grid } from "./useGrid";

interface Props {
  grid: Grid;
  columns: Field[];
  /** The record in a row of the table, where there is one and it is read. */
  recordAt: (row: number) => Shown["record"] | undefined;
  rows: number;
  zone: string;
  onEdits: (edits: RowEdit[], did: string) => void;
}

const MAX_CELLS = 20_000;

/** Copying, pasting, filling and emptying a range of cells. */
export function useRange({ grid, columns, recordAt, rows, zone, onEdits }: Props) {
  const { tell } = useNotices();
  const { range } = grid;
  const cellsOf = <T>(make: (record: Shown["record"], field: Field) => T): T[][] => {
    const found: T[][] = [];
    for (let row = range?.top ?? 0; range && row <= range.bottom; row++) {
      const record = recordAt(row);
      if (record) found.push(columns.slice(range.left, range.right + 1).map((field) => make(record, field)));
    }
    return found;
  };
  const writes = (values: (row: number, field: Field, column: number) => Wire | undefined, did: string, top?: number, bottom?: number) => {
    if (!range) return;
    const edits: RowEdit[] = [];
    for (let row = top ?? range.top; row <= (bottom ?? range.bottom); row++) {
      const record = recordAt(row);
      if (!record && row < rows) continue; // the head of a group, or one that is still to be read
      const given: Record<string, Wire> = {};
      columns.forEach((field, column) => {
        const value = field.can_write ? values(row, field, column) : undefined;
        if (value !== undefined) given[field.id] = value;
      });
      if (Object.keys(given).length) edits.push({ record: record ?? null, values: given });
    }
    if (edits.length) onEdits(edits, did);
  };
  const within = (column: number) => !!range && column >= range.left && column <= range.right;

  const onCopy = (event: ClipboardEvent) => {
    if (!range) return;
    event.preventDefault();
    event.clipboardData.setData("text/plain", written(cellsOf((record, field) => copied(field, record.values[field.id], zone))));
    event.clipboardData.setData(CELLS, JSON.stringify(cellsOf((record, field) => [field.type, record.values[field.id] ?? null])));
  };
  const onPaste = (event: ClipboardEvent) => {
    if (!range) return;
    event.preventDefault();
    const texts = parsed(event.clipboardData.getData("text/plain"));
    const kept = event.clipboardData.getData(CELLS);
    const cells = kept ? (JSON.parse(kept) as [string, Wire][][]) : null;
    const height = texts.length;
    const width = Math.max(...texts.map((row) => row.length));
    if (height * width > MAX_CELLS) return tell(`${height} rows are more than can be pasted at once. Paste fewer, or import a file.`);
    // One cell fills the whole range; several are laid from its corner on, and over it as often as they fit.
    const tall = Math.max(height, height === 1 || (range.bottom - range.top + 1) % height === 0 ? range.bottom - range.top + 1 : 0);
    const wide = Math.max(width, width === 1 || (range.right - range.left + 1) % width === 0 ? range.right - range.left + 1 : 0);
    writes(
      (row, field, column) => {
        if (column < range.left || column >= range.left + wide) return undefined;
        const [n, m] = [(row - range.top) % height, (column - range.left) % width];
        const whole = cells?.[n]?.[m];
        if (whole && whole[0] === field.type) return whole[1];
        const text = texts[n]?.[m];
        return text === undefined ? undefined : text.trim() === "" ? null : text;
      },
      "Pasted",
      range.top,
      range.top + tall - 1,
    );
  };
  const fillDown = () => {
    const first = range && recordAt(range.top);
    if (!first) return;
    writes((row, field, column) => (row > range.top && within(column) ? (first.values[field.id] ?? null) : undefined), "Filled down");
  };
  const empty = () => writes((_, __, column) => (within(column) ? null : undefined), "Emptied");
  return { onCopy, onPaste, fillDown, empty };
}
