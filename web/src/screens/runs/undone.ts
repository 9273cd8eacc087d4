import type { Schemas } from "../../api/client";

/** The outcomes of lines that wrote something. */
export const WROTE: ReadonlySet<string> = new Set(["added", "updated", "deleted"]);

const count = (n: number, what: string) => `${n} ${what}${n === 1 ? "" : "s"}`;

/** What undoing a run came to, in words. */
export function undoneWords({ undone, trashed }: Schemas["UndoneOut"]): string {
  const others = undone - trashed;
  const said = [
    others > 0 && `${count(others, "change")} undone`,
    (trashed > 0 || others === 0) && `${count(trashed, "record")} moved to the trash`,
  ];
  return `${said.filter(Boolean).join("; ")}.`;
}
