import type { ComponentType } from "react";
import type { Field, Wire } from "../api/queries";

export interface Lead {
  words: string;
  href: string;
  download: boolean;
  /** Within Kelvix: opened in this window. */
  here?: boolean;
}

export interface EditorProps {
  field: Field;
  value: Wire | undefined;
  zone: string;
  /** What was typed to begin, instead of what is there. */
  begins?: string;
  /** What was typed and refused, to be corrected, and why. */
  refused?: { typed: Wire; problem: string };
  /** The new value; undefined where nothing is to change. */
  onDone: (value: Wire | undefined) => void;
}

/** How values of a type of field are shown and edited. A folder here has the type's code for its name, and makes one in
    `view`; a type without a folder reads as plain text. */
export interface FieldView {
  /** Pixels of its column in a table. */
  width: number;
  isNumber?: boolean;
  /** How a value that is there reads; without a field where a line carries it, by the names of its choices. */
  reads?: (value: NonNullable<Wire>, field: Field | null, zone: string) => string;
  /** What an editing box begins with: what can be typed back and understood. */
  typed?: (value: NonNullable<Wire>, zone: string) => string;
  Editor?: ComponentType<EditorProps>;
  /** Where clicks on it lead; `copy` is where a copy of a file is downloaded. */
  leads?: (value: NonNullable<Wire>, copy: string) => Lead[];
}
