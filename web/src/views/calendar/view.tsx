import type { KindOfView } from "../kinds";
import { Calendar } from "./Calendar";

export default { name: "Calendar", rank: 3, isDated: true, Shows: Calendar } satisfies KindOfView;
