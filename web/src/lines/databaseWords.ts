import type { Database } from "../api/queries";

/** What a line works with in a database: a record, a task. */
export const recordWord = (database: Database | undefined) => database?.outside?.item_word ?? "record";

export const recordsWord = (database: Database | undefined) => database?.outside?.items_word ?? "records";

/** With its article. */
export function aRecord(database: Database | undefined): string {
  const word = recordWord(database);
  return `${/^[aeiou]/.test(word) ? "an" : "a"} ${word}`;
}

/** The name by which it is told among others: that of its app goes before. */
export const fullName = (database: Database) => (database.outside ? `${database.outside.app_name} › ${database.name}` : database.name);

/** How what is written in a place of an app is undone. */
export function undoneInApp(database: Database, verb: "add" | "add_or_update" | "update" | "delete"): string {
  const { app_name: app, writes, item_word: word } = database.outside ?? { app_name: "", writes: [] as string[], item_word: "item" };
  const deletes = writes.includes("delete");
  switch (verb) {
    case "add":
      return deletes ? `undo deletes the ${word} in ${app}` : `can’t be undone: ${app} doesn’t delete ${word}s`;
    case "add_or_update":
      return deletes ? `undo deletes what is new in ${app} and restores previous values` : "undo restores previous values only";
    case "update":
      return `undo restores the previous values in ${app}`;
    case "delete":
      return writes.includes("restore") ? `undo restores the ${word} in ${app}` : `can’t be undone in ${app}`;
  }
}
