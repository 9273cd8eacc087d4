import type { KindOfView } from "../kinds";
import { List } from "./List";

export default { name: "List", rank: 5, Shows: List } satisfies KindOfView;
