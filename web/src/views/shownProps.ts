import type { Database, Field, RecordOut, Wire } from "../api/queries";
import type { RefusedEdit, RowEdit } from "../screens/databases/useWriting";
import type { Figures, Places } from "./queries";
import type { Viewing } from "./useView";

/** What every kind of view is given to show. */
export interface ShownProps {
  database: Database;
  /** Its fields, and what its records have of their own. */
  fields: Field[];
  viewing: Viewing;
  groups: Places["groups"];
  figures: Figures | undefined;
  /** How many places there are, those included that are still to be read. */
  total: number;
  /** Read the places that follow, where there are more. */
  more: () => void;
  /** The record that is open. */
  chosen: number | null;
  zone: string;
  picked: ReadonlySet<number>;
  onPick: (picked: ReadonlySet<number>) => void;
  refused: RefusedEdit | null;
  onOpen: (record: number) => void;
  onEdit: (record: RecordOut, field: Field, value: Wire) => void;
  /** Several records at once; `did` says what was done. */
  onEdits: (edits: RowEdit[], did: string) => void;
}
