import type { QueryClient } from "@tanstack/react-query";
import { matchPath } from "react-router";
import { LINE_KINDS, ME, ofSamples, ofWorkflow } from "./api/queries";
import { apart, type Apart } from "./parts/apart";
import { DAY_LIST, TODAY } from "./screens/today/queries";

/** All screens but quick input, which a phone loads without them; and what reads the kinds of lines that some of them show. */
export const Screens = apart(() => import("./Screens"), "Screens");
export const LinesRead = apart(() => import("./lines/LinesRead"), "LinesRead");

const DatabaseScreen = apart(() => import("./screens/databases/DatabaseScreen"), "DatabaseScreen");
const Mirror = apart(() => import("./screens/mirrors/MirrorScreen"), "MirrorScreen");
const Timetable = apart(() => import("./screens/timetable/Timetable"), "Timetable");

/** The screens by their addresses, each in a bundle of its own. */
export const SCREENS = {
  today: apart(() => import("./screens/today/Today"), "Today"),
  needs: apart(() => import("./screens/needs/NeedsYou"), "NeedsYou"),
  capture: apart(() => import("./screens/captures/CaptureScreen"), "CaptureScreen"),
  databases: apart(() => import("./screens/databases/DatabaseList"), "DatabaseList"),
  "databases/:database": DatabaseScreen,
  "databases/:database/:record": DatabaseScreen,
  "databases/:database/:record/page": apart(() => import("./screens/databases/RecordPage"), "RecordPage"),
  workflows: apart(() => import("./screens/workflows/WorkflowList"), "WorkflowList"),
  mirrors: apart(() => import("./screens/mirrors/MirrorList"), "MirrorList"),
  "mirrors/:mirror": Mirror,
  "mirrors/:mirror/:tab": Mirror,
  runs: apart(() => import("./screens/runs/RunList"), "RunList"),
  beside: apart(() => import("./screens/beside/Beside"), "Beside"),
  captures: apart(() => import("./screens/captures/Captures"), "Captures"),
  connections: apart(() => import("./screens/connections/ConnectionList"), "ConnectionList"),
  "connections/:connection": apart(() => import("./screens/connections/ConnectionScreen"), "ConnectionScreen"),
  trash: apart(() => import("./screens/trash/Trash"), "Trash"),
  practice: apart(() => import("./screens/practice/PracticeApps"), "PracticeApps"),
};

/** Those that show lines. */
export const OF_LINES = {
  "workflows/:workflow": Timetable,
  "workflows/:workflow/runs": Timetable,
  "workflows/:workflow/backcast": Timetable,
  "runs/:run": apart(() => import("./screens/runs/RunScreen"), "RunScreen"),
};

/** Begin to fetch what the screen at an address shows first, where that is much. */
function fetchAhead(address: string, queries: QueryClient): void {
  const is = (path: string) => matchPath(path, address);
  const workflow = Number(is("/workflows/:workflow/*")?.params.workflow);
  if (workflow) {
    void queries.prefetchQuery(LINE_KINDS);
    void queries.prefetchQuery(ofWorkflow(workflow));
    void queries.prefetchQuery(ofSamples(workflow));
  }
  if (is("/runs/:run")) void queries.prefetchQuery(LINE_KINDS);
  if (is("/today")) {
    void queries.prefetchQuery(TODAY);
    void queries.prefetchInfiniteQuery(DAY_LIST);
  }
}

/**
 * Fetch what an address needs, all at once, before the first drawing: one after the other, each would wait until what is before it
 * has been drawn. Drawing waits for the bundles and for who is signed in.
 */
export async function begin(address: string, queries: QueryClient): Promise<void> {
  if (matchPath("/quick", address)) return;
  const at = (screens: Record<string, Apart>) => Object.entries(screens).find(([path]) => matchPath(`/${path}`, address))?.[1];
  const ofLines = at(OF_LINES);
  const bundles = [Screens, at(SCREENS), ofLines, ofLines && LinesRead];
  fetchAhead(address, queries);
  // What does not come is asked for again where it is shown.
  await Promise.allSettled([queries.prefetchQuery(ME), ...bundles.map((bundle) => bundle?.load())]);
}
