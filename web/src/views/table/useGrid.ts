import { useState } from "react";

export interface Spot {
  row: number;
  column: number;
}

/** The cell one is at, and the range from where one began to it. */
export function useGrid(rows: number, columns: number) {
  const [at, setAt] = useState<Spot | null>(null);
  const [from, setFrom] = useState<Spot | null>(null);
  const clamp = (spot: Spot): Spot => ({
    row: Math.min(Math.max(spot.row, 0), rows - 1),
    column: Math.min(Math.max(spot.column, 0), columns - 1),
  });
  const goTo = (spot: Spot, isRange = false) => {
    const next = clamp(spot);
    setFrom((now) => (isRange ? (now ?? at ?? next) : null));
    setAt(next);
    return next;
  };
  const begin = at && (from ?? at);
  const range = at &&
    begin && {
      top: Math.min(at.row, begin.row),
      bottom: Math.max(at.row, begin.row),
      left: Math.min(at.column, begin.column),
      right: Math.max(at.column, begin.column),
    };
  const holds = (row: number, column: number) =>
    !!range && from !== null && row >= range.top && row <= range.bottom && column >= range.left && column <= range.right;
  return { at, range, holds, goTo, isRange: from !== null };
}

export type Grid = ReturnType<typeof useGrid>;

const MOVES: Record<string, [number, number]> = {
  ArrowDown: [1, 0],
  ArrowUp: [-1, 0],
  ArrowRight: [0, 1],
  ArrowLeft: [0, -1],
  PageDown: [15, 0],
  PageUp: [-15, 0],
};

/** Where a key leads from a cell; nothing for one that leads nowhere. */
export function movedBy(key: string, withCtrl: boolean, at: Spot, rows: number, columns: number): Spot | null {
  if (key === "Home") return { row: withCtrl ? 0 : at.row, column: 0 };
  if (key === "End") return { row: withCtrl ? rows - 1 : at.row, column: columns - 1 };
  const move = MOVES[key];
  if (!move) return null;
  const far = withCtrl ? 1_000_000 : 1;
  return { row: at.row + move[0] * far, column: at.column + move[1] * far };
}
