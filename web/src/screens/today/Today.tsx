import { lazy, Suspense } from "react";
import { useMe } from "../../api/queries";
import { Causes } from "../needs/Causes";
import { DayList } from "./DayList";
import { Figures } from "./Figures";
import { useAttention, useToday } from "./queries";

const Charts = lazy(() => import("./Charts")); // the chart library is large, and needed nowhere else

/** The day: figures, the weeks as small charts, what came in and went out, and what needs a person. */
export function Today() {
  const zone = useMe().data?.timezone ?? "UTC";
  const today = useToday().data;
  const causes = useAttention(true).data;
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
                : "Everything goes by itself."}
          </div>
        </div>
      </div>
      {today && (
        <div className="row figures">
          <Figures today={today} />
          <Suspense>
            <Charts days={today.days} />
          </Suspense>
        </div>
      )}
      <div className="day-two">
        <DayList zone={zone} />
        <div>
          <h2>Needs you</h2>
          <Causes causes={causes} withQuestions />
        </div>
      </div>
    </main>
  );
}
