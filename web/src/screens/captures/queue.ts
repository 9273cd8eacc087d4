import { useSyncExternalStore } from "react";
import { answer, client, Problem, said } from "../../api/client";

/** A capture that is on its way: kept on this device until Kelvix has it. Its key makes sure that it is kept once. */
export interface Waiting {
  key: string;
  text: string;
  each: boolean;
  pages: boolean;
  database: number | null;
  /** What stands against it, where Kelvix did not take it. */
  problem: string | null;
}

interface State {
  waiting: Waiting[];
  /** What was kept last, in words. */
  said: string;
  /** Why nothing can be sent now. */
  held: string;
}

const KEY = "kelvix-quick-queue";
const listeners = new Set<() => void>();
let state: State = { waiting: JSON.parse(localStorage.getItem(KEY) ?? "[]") as Waiting[], said: "", held: "" };

function set(next: Partial<State>) {
  state = { ...state, ...next };
  localStorage.setItem(KEY, JSON.stringify(state.waiting));
  for (const tell of listeners) tell();
}

const without = (key: string) => state.waiting.filter((w) => w.key !== key);

export function add(text: string, each: boolean, pages: boolean, database: number | null) {
  set({ waiting: [...state.waiting, { key: crypto.randomUUID(), text, each, pages, database, problem: null }], said: "" });
  void flush();
}

export function drop(key: string): string {
  const text = state.waiting.find((w) => w.key === key)?.text ?? "";
  set({ waiting: without(key) });
  return text;
}

/** Send what waits, one after the other; one window at a time. */
export async function flush() {
  if (state.waiting.length === 0) return;
  await (navigator.locks ? navigator.locks.request(KEY, send) : send()); // there are none where the page is not secure
}

async function send() {
    for (const one of state.waiting.filter((w) => !w.problem)) {
      try {
        const made = await answer(
          client.POST("/api/v1/capture", {
            body: { text: one.text, each: one.each, read_pages: one.pages, database: one.database },
            params: { header: { "idempotency-key": one.key } },
          }),
        );
        const number = made.records.length;
        set({ waiting: without(one.key), said: number === 1 ? "Added." : `${number} records added.`, held: "" });
      } catch (error) {
        const status = error instanceof Problem ? error.status : 0;
        if (status === 0 || status >= 500 || status === 429) return set({ held: "Kelvix cannot be reached now; it will be sent later." });
        if (status === 401 || status === 403) return set({ held: "Sign in to Kelvix again on this device; what waits is sent then." });
        set({ waiting: state.waiting.map((w) => (w.key === one.key ? { ...w, problem: said(error) } : w)) });
      }
    }
}

export const useQueue = () =>
  useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => state,
  );
