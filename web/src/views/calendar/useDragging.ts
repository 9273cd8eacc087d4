import { useState, type PointerEvent } from "react";
import type { Target } from "./moves";

const BEGINS = 5; // px
const SNAP = 15; // minutes

export interface Dragged {
  /** The record. */
  id: number;
  /** Its end is dragged. */
  isEnd: boolean;
  /** Where it was taken hold of, if that was on a day. */
  from: Target | null;
  target: Target | null;
}

/** The day under a place of the screen, with the minute where its hours are drawn. */
function targetAt(x: number, y: number, grabbed: number): Target | null {
  const cell = document.elementsFromPoint(x, y).find((e): e is HTMLElement => e instanceof HTMLElement && !!e.dataset.day);
  const day = cell?.dataset.day;
  if (!cell || !day) return null;
  if (!cell.dataset.hour) return { day };
  const minute = ((y - grabbed - cell.getBoundingClientRect().top) / Number(cell.dataset.hour)) * 60;
  return { day, minute: Math.min(Math.max(Math.round(minute / SNAP) * SNAP, 0), 24 * 60 - SNAP) };
}

/** Dragging a record, or its end, to another place of a calendar. */
export function useDragging(onDrop: (dragged: Dragged & { target: Target }) => void) {
  const [dragged, setDragged] = useState<Dragged | null>(null);
  const start = (id: number, isEnd: boolean) => (event: PointerEvent<HTMLElement>) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    const [x, y, held] = [event.clientX, event.clientY, event.currentTarget];
    const grabbed = isEnd ? 0 : y - held.getBoundingClientRect().top;
    const from = targetAt(x, y, grabbed);
    let latest: Dragged | null = null;
    const move = (to: globalThis.PointerEvent) => {
      if (!latest && Math.hypot(to.clientX - x, to.clientY - y) < BEGINS) return;
      latest = { id, isEnd, from, target: targetAt(to.clientX, to.clientY, grabbed) };
      setDragged(latest);
    };
    const end = (last: Event) => {
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", end);
      window.removeEventListener("keydown", leave, true);
      setDragged(null);
      if (!latest) return;
      const swallow = (click: MouseEvent) => click.stopPropagation(); // what was dragged is not opened
      window.addEventListener("click", swallow, true);
      setTimeout(() => window.removeEventListener("click", swallow, true), 0);
      if (last.type === "pointerup" && latest.target) onDrop({ ...latest, target: latest.target });
    };
    const leave = (key: KeyboardEvent) => key.key === "Escape" && end(key);
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", end);
    window.addEventListener("keydown", leave, true);
  };
  return { dragged, start };
}
