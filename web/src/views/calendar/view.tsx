import type { KindOfView } from "../kinds";
import { Calendar } from "./Calendar";

export default { name: "Calendar", rank: 3, Shows: Calendar } satisfies KindOfView;
