import { useSyncExternalStore } from "react";
import { answer, client, Problem, said } from "../../api/client";
import { newKey } from "../../api/key";

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
  /** The key of what is being sent. */
  sending: string;
}

const KEY = "kelvix-quick-queue";
const listeners = new Set<() => void>();

/** What waits on this device, whichever window put it there. */
const stored = () => JSON.parse(localStorage.getItem(KEY) ?? "[]") as Waiting[];
let state: State = { waiting: stored(), said: "", held: "", sending: "" };

function show(next: Partial<State>) {
  state = { ...state, ...next };
  for (const tell of listeners) tell();
}

/** Change what waits, as it is stored now: another window may have added to it. */
function change(how: (waiting: Waiting[]) => Waiting[], words: Partial<Pick<State, "said" | "held">> = {}) {
  const waiting = how(stored());
  localStorage.setItem(KEY, JSON.stringify(waiting));
  show({ ...words, waiting });
}

window.addEventListener("storage", (event) => event.key === KEY && show({ waiting: stored() }));

const without = (key: string) => (waiting: Waiting[]) => waiting.filter((w) => w.key !== key);

/** Whether there was room for it on this device. */
export function add(text: string, each: boolean, pages: boolean, database: number | null): boolean {
  const one = { key: newKey(), text, each, pages, database, problem: null };
  try {
    change((waiting) => [...waiting, one], { said: "" });
  } catch {
    show({ held: "This device’s storage is full. Save this page open until some lines are sent." });
    return false;
  }
  void flush();
  return true;
}

export function drop(key: string): string {
  const text = stored().find((w) => w.key === key)?.text ?? "";
  change(without(key), { held: "" });
  return text;
}

/** Send what waits, one after the other; one window at a time. */
export async function flush() {
  if (stored().length === 0) return;
  await (navigator.locks ? navigator.locks.request(KEY, send) : send()); // there are none where the page is not secure
}

async function send() {
  for (const one of stored().filter((w) => !w.problem)) {
    try {
      show({ sending: one.key });
      const made = await answer(
        client.POST("/api/v1/capture", {
          body: { text: one.text, each: one.each, read_pages: one.pages, database: one.database },
          params: { header: { "idempotency-key": one.key } },
        }),
      );
      const number = made.records.length;
      const added = number === 1 ? "Added." : `${number} records added.`;
      change(without(one.key), { said: [added, ...made.not_understood.slice(0, 3).map((not) => `${not}.`)].join(" "), held: "" });
    } catch (error) {
      const status = error instanceof Problem ? error.status : 0;
      if (status === 0 || status >= 500 || status === 429)
        return show({ held: "Kelvix can’t be reached now. Your entry will be sent later." });
      if (status === 401 || status === 403)
        return show({ held: "Sign in to Kelvix again on this device. Waiting entries are sent afterwards." });
      const problem = said(error);
      change((waiting) => waiting.map((w) => (w.key === one.key ? { ...w, problem } : w)));
    } finally {
      show({ sending: "" });
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
