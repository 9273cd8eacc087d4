import type { KindOfView } from "../kinds";
import { Timeline } from "./Timeline";

export default { name: "Timeline", rank: 4, isDated: true, Shows: Timeline } satisfies KindOfView;
