import type { KindOfView } from "../kinds";
import { Board } from "./Board";

export default { name: "Board", rank: 2, Shows: Board } satisfies KindOfView;
