import type { Schemas } from "../../api/client";

/** The outcomes of lines that wrote something. */
export const WROTE: ReadonlySet<string> = new Set(["added", "updated", "deleted"]);

const count = (n: number, what: string) => `${n} ${what}${n === 1 ? " is" : "s are"}`;

/** What undoing a run came to, in words. */
export function undoneWords({ undone, trashed }: Schemas["UndoneOut"]): string {
  const others = undone - trashed;
  const said = [
    others > 0 && `${count(others, "change")} taken back`,
    (trashed > 0 || others === 0) && `${count(trashed, "record")} in the trash`,
  ];
  return `${said.filter(Boolean).join("; ")}.`;
}
