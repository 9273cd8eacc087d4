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
  /** Whether the head of a group stands there. */
  isHead: (row: number) => boolean;
  zone: string;
  onEdits: (edits: RowEdit[], did: string) => void;
}

const MAX_CELLS = 20_000;

/** Copying, pasting, filling and emptying a range of cells. */
export function useRange({ grid, columns, recordAt, rows, isHead, zone, onEdits }: Props) {
  const { tell } = useNotices();
  const { range } = grid;
  /** The rows of records from one row to another, or so many of them; nothing where one is not read yet, which is said. */
  const taken = (top: number, enough: (row: number, count: number) => boolean): (Shown["record"] | null)[] | null => {
    const found: (Shown["record"] | null)[] = [];
    for (let row = top; !enough(row, found.length); row++) {
      if (row < rows && isHead(row)) continue;
      const record = recordAt(row);
      if (!record && row < rows) {
        tell("Some of these rows have not been read yet. Scroll through them, or take fewer.");
        return null;
      }
      found.push(record ?? null);
    }
    return found;
  };
  const inRange = () => (range ? taken(range.top, (row) => row > range.bottom || row >= rows) : null);
  const cellsOf = <T>(records: (Shown["record"] | null)[], make: (record: Shown["record"], field: Field) => T): T[][] =>
    records.flatMap((record) => (range && record ? [columns.slice(range.left, range.right + 1).map((field) => make(record, field))] : []));
  const writes = (
    records: (Shown["record"] | null)[] | null,
    values: (n: number, field: Field, column: number) => Wire | undefined,
    did: string,
  ) => {
    const edits = (records ?? []).flatMap((record, n): RowEdit[] => {
      const given: Record<string, Wire> = {};
      columns.forEach((field, column) => {
        const value = field.can_write ? values(n, field, column) : undefined;
        if (value !== undefined) given[field.id] = value;
      });
      return Object.keys(given).length ? [{ record, values: given }] : [];
    });
    if (edits.length) onEdits(edits, did);
  };
  const within = (column: number) => !!range && column >= range.left && column <= range.right;

  const onCopy = (event: ClipboardEvent) => {
    const records = inRange();
    if (!records) return;
    event.preventDefault();
    event.clipboardData.setData("text/plain", written(cellsOf(records, (record, field) => copied(field, record.values[field.id], zone))));
    event.clipboardData.setData(CELLS, JSON.stringify(cellsOf(records, (record, field) => [field.type, record.values[field.id] ?? null])));
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
    const held = inRange()?.length;
    if (held === undefined) return;
    // One cell fills the whole range; several are laid from its corner on, and over it as often as they fit.
    const tall = Math.max(height, height === 1 || held % height === 0 ? held : 0);
    const wide = Math.max(width, width === 1 || (range.right - range.left + 1) % width === 0 ? range.right - range.left + 1 : 0);
    writes(
      taken(range.top, (_, count) => count >= tall),
      (at, field, column) => {
        if (column < range.left || column >= range.left + wide) return undefined;
        const [n, m] = [at % height, (column - range.left) % width];
        const whole = cells?.[n]?.[m];
        if (whole && whole[0] === field.type) return whole[1];
        const text = texts[n]?.[m];
        return text === undefined ? undefined : text.trim() === "" ? null : text;
      },
      "Pasted",
    );
  };
  const fillDown = () => {
    const records = inRange();
    const first = records?.[0];
    if (first)
      writes(records, (n, field, column) => (n > 0 && within(column) ? (first.values[field.id] ?? null) : undefined), "Filled down");
  };
  const empty = () => writes(inRange(), (_, __, column) => (within(column) ? null : undefined), "Emptied");
  return { onCopy, onPaste, fillDown, empty };
}
