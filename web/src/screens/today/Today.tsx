import { lazy, startTransition, Suspense, useState } from "react";
import { useMe } from "../../api/queries";
import { useNarrow } from "../../parts/useNarrow";
import { FirstSteps } from "../start/FirstSteps";
import { Causes } from "../needs/Causes";
import { DayList } from "./DayList";
import { DayTable } from "./DayTable";
import { Figures } from "./Figures";
import { useAttention, useToday } from "./queries";

/** Once what stands has been painted. */
const painted = () => new Promise((resolve) => requestAnimationFrame(() => setTimeout(resolve)));
const Charts = lazy(() => painted().then(() => import("./Charts"))); // the chart library is large, and needed nowhere else

/** How the last weeks are shown: on a phone only when asked for. */
type Weeks = "charts" | "table" | "hidden";
const NEXT: Record<Weeks, Weeks> = { charts: "table", table: "charts", hidden: "charts" };

/** The day: figures, the weeks as small charts, what came in and went out, and what needs a person. */
export function Today() {
  const zone = useMe().data?.timezone ?? "UTC";
  const today = useToday().data;
  const causes = useAttention(true).data;
  const narrow = useNarrow();
  const [chosen, setChosen] = useState<Weeks | null>(null);
  const weeks = chosen ?? (narrow ? "hidden" : "charts");
  const isNew = today?.days.every((d) => d.done + d.passed_by + d.failed + d.others === 0) ?? true; // nothing to count yet
  const name = new Intl.DateTimeFormat("en-GB", { weekday: "long", day: "numeric", month: "long", timeZone: zone }).format(new Date());
  return (
    <main>
      <div className="row head top">
        <div className="grow">
          <h1>{name}</h1>
          <div className="sub">
            {causes === undefined
              ? ""
              : causes.some((c) => c.kind !== "never_on")
                ? "Some items need you. Everything else is running."
                : "Everything is running."}
          </div>
        </div>
      </div>
      <FirstSteps />
      {today && !isNew && (
        <div className="figures">
          <div className="row top">
            <Figures today={today} />
            <button className="link push" onClick={() => startTransition(() => setChosen(NEXT[weeks]))}>
              {weeks === "charts" ? "Show as table" : "Show charts"}
            </button>
          </div>
          {weeks === "table" && <DayTable days={today.days} />}
          {weeks === "charts" && (
            <Suspense fallback={<div className="charts" />}>
              <Charts days={today.days} />
            </Suspense>
          )}
        </div>
      )}
      {/* Drawn together with the figures above it, which would push it down. */}
      <div className="day-two" hidden={!today}>
        <DayList zone={zone} />
        <div>
          <h2>Needs you</h2>
          <Causes causes={causes} withQuestions />
        </div>
      </div>
    </main>
  );
}
