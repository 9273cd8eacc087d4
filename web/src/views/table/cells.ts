import type { Field, Wire } from "../../api/queries";
import { reads, typed } from "../../fields";

/** What several cells hold, copied within Kelvix: whole, where text alone would lose which record is meant. */
export const CELLS = "application/x-kelvix-cells";

/** How a value is copied as text: as it can be typed back, but by names where it is kept by numbers. */
export function copied(field: Field, value: Wire | undefined, zone: string): string {
  const byName = field.choices.length > 0 || Array.isArray(value);
  return byName ? reads(field, value, zone) : typed(field, value, zone);
}

const quoted = (text: string) => (/[\t\n\r"]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);

/** Rows of cells as text, as spreadsheet programs exchange them: cells between tabs, rows between line breaks. */
export const written = (rows: string[][]) => rows.map((row) => row.map(quoted).join("\t")).join("\n");

/** The rows of cells in a text; a cell in quotation marks may hold tabs and line breaks. */
export function parsed(text: string): string[][] {
  const rows: string[][] = [[]];
  const source = text.replace(/\r\n?/g, "\n").replace(/\n$/, "");
  let cell = "";
  let isQuoted = false;
  const end = () => {
    rows.at(-1)?.push(cell);
    cell = "";
  };
  for (let n = 0; n < source.length; n++) {
    const c = source.charAt(n);
    if (isQuoted) {
      if (c !== '"') cell += c;
      else if (source.charAt(n + 1) === '"') cell += source.charAt(++n);
      else isQuoted = false;
    } else if (c === '"' && cell === "") isQuoted = true;
    else if (c === "\t") end();
    else if (c === "\n") {
      end();
      rows.push([]);
    } else cell += c;
  }
  end();
  return rows;
}
