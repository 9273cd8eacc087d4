import type { KindOfView } from "../kinds";
import { Table } from "./Table";

export default { name: "Table", rank: 1, Shows: Table } satisfies KindOfView;
