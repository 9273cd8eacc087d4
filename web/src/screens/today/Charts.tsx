import { BarChart } from "@mui/x-charts/BarChart";
import { LineChart } from "@mui/x-charts/LineChart";
import { span } from "../../parts/dates";
import type { TodayOut } from "./queries";

type Day = TodayOut["days"][number];

const SIZE = { height: 74, width: 196, margin: { top: 6, bottom: 2, left: 2, right: 2 }, hideLegend: true, skipAnimation: true } as const;
const NO_AXIS = { position: "none" } as const;
const dayWords = (day: string) =>
  new Intl.DateTimeFormat("en-GB", { weekday: "short", day: "numeric", month: "short", timeZone: "UTC" }).format(
    new Date(`${day}T12:00:00Z`),
  );

/** The last thirty days: how much, how well, how fast. */
export default function Charts({ days }: { days: Day[] }) {
  const names = days.map((d) => dayWords(d.day));
  const runs = days.reduce((sum, d) => sum + d.done + d.passed_by + d.failed + d.others, 0);
  const failed = days.reduce((sum, d) => sum + d.failed, 0);
  const well = days.flatMap((d) => (d.success === null ? [] : [d.success]));
  const least = well.length > 0 ? Math.min(...well) : null;
  const delays = days.flatMap((d) => (d.usual_delay === null ? [] : [d.usual_delay]));
  const slow = delays.length > 0 ? Math.max(...delays) : null;
  const x = [{ ...NO_AXIS, data: names, scaleType: "band" as const }];
  const point = [{ ...NO_AXIS, data: names, scaleType: "point" as const }];
  return (
    <div className="charts">
      <figure aria-label={`Runs a day, thirty days: ${runs} runs, ${failed} of them failed`}>
        <BarChart
          {...SIZE}
          xAxis={x}
          yAxis={[NO_AXIS]}
          series={[
            { data: days.map((d) => d.done), label: "done", stack: "runs", color: "var(--petrol)" },
            { data: days.map((d) => d.passed_by + d.others), label: "passed by or under way", stack: "runs", color: "var(--slate)" },
            { data: days.map((d) => d.failed), label: "failed", stack: "runs", color: "var(--brick)" },
          ]}
        />
        <figcaption>runs a day, 30 days: {runs}</figcaption>
      </figure>
      <figure
        aria-label={
          least === null ? "How well it went: no runs yet" : `Success rate by day; the lowest was ${Math.round(least * 100)} percent`
        }
      >
        <LineChart
          {...SIZE}
          xAxis={point}
          yAxis={[{ ...NO_AXIS, min: Math.min(0.5, least ?? 0.5), max: 1.02 }]}
          series={[
            {
              data: days.map((d) => d.success),
              label: "Success rate",
              color: "var(--fern)",
              curve: "linear",
              connectNulls: true,
              showMark: false,
              valueFormatter: (v) => (v === null ? "" : `${Math.round(v * 100)} %`),
            },
          ]}
        />
        <figcaption>Success rate{least !== null && `, lowest ${Math.round(least * 100)} %`}</figcaption>
      </figure>
      <figure aria-label={slow === null ? "How fast it went: no runs yet" : `Usual time from event to end, by day; at most ${span(slow)}`}>
        <LineChart
          {...SIZE}
          xAxis={point}
          yAxis={[{ ...NO_AXIS, min: 0 }]}
          series={[
            {
              data: days.map((d) => d.usual_delay),
              label: "usual time",
              color: "var(--marigold)",
              curve: "linear",
              connectNulls: true,
              showMark: false,
              valueFormatter: (v) => (v === null ? "" : span(v)),
            },
          ]}
        />
        <figcaption>usual time{slow !== null && `, ${span(slow)} at most`}</figcaption>
      </figure>
    </div>
  );
}
