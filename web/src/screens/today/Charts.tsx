import { BarChart } from "@mui/x-charts/BarChart";
import { ChartsReferenceLine } from "@mui/x-charts/ChartsReferenceLine";
import { LineChart } from "@mui/x-charts/LineChart";
import type { ReactNode } from "react";
import { span } from "../../parts/dates";
import { dayWords, percent, type Day } from "./days";

const SIZE = { height: 108, margin: { top: 8, bottom: 2, left: 2, right: 18 }, hideLegend: true, skipAnimation: true } as const;
const LINE = { curve: "linear", connectNulls: true, showMark: false } as const;

/** The last thirty days, the last of them today: how much, how well, how fast. */
export default function Charts({ days }: { days: Day[] }) {
  const names = days.map((d) => dayWords(d.day));
  const today = names.at(-1) ?? "";
  const axis = {
    data: names,
    height: 24,
    disableTicks: true,
    tickLabelInterval: (_: unknown, n: number) => n === 0 || n === Math.floor(days.length / 2) || n === days.length - 1,
    tickLabelStyle: { fontSize: 11 },
    valueFormatter: (name: string, at: { location: string }) =>
      at.location === "tick" && name === today ? "Today" : name.replace(/^\w+ /, at.location === "tick" ? "" : "$&"),
  };
  const scale = { width: 48, tickNumber: 2, disableLine: true, disableTicks: true, tickLabelStyle: { fontSize: 11 } };
  const mark = <ChartsReferenceLine x={today} lineStyle={{ stroke: "var(--marigold)", strokeWidth: 2 }} />;
  const least = Math.min(0.9, ...days.flatMap((d) => (d.success === null ? [] : [d.success])));
  return (
    <div className="charts">
      <Figure name="Runs per day">
        <BarChart
          {...SIZE}
          xAxis={[{ ...axis, scaleType: "band" }]}
          yAxis={[scale]}
          series={[
            { data: days.map((d) => d.done), label: "Done", stack: "runs", color: "var(--petrol)" },
            { data: days.map((d) => d.passed_by + d.others), label: "Skipped or running", stack: "runs", color: "var(--slate)" },
            { data: days.map((d) => d.failed), label: "Failed", stack: "runs", color: "var(--brick)" },
          ]}
        >
          {mark}
        </BarChart>
      </Figure>
      <Figure name="Success rate">
        <LineChart
          {...SIZE}
          xAxis={[{ ...axis, scaleType: "point" }]}
          yAxis={[{ ...scale, min: Math.floor(least * 10) / 10, max: 1, valueFormatter: percent }]}
          series={[{ ...LINE, data: days.map((d) => d.success), label: "Success rate", color: "var(--fern)", valueFormatter: percent }]}
        >
          {mark}
        </LineChart>
      </Figure>
      <Figure name="Usual time from event to result">
        <LineChart
          {...SIZE}
          xAxis={[{ ...axis, scaleType: "point" }]}
          yAxis={[{ ...scale, min: 0, valueFormatter: (v: number) => span(v) }]}
          series={[
            {
              ...LINE,
              data: days.map((d) => d.usual_delay),
              label: "Usual time",
              color: "var(--petrol)",
              valueFormatter: (v) => (v === null ? "–" : span(v)),
            },
          ]}
        >
          {mark}
        </LineChart>
      </Figure>
    </div>
  );
}

function Figure({ name, children }: { name: string; children: ReactNode }) {
  return (
    <figure aria-label={`${name}, last 30 days`}>
      <figcaption>{name}</figcaption>
      {children}
    </figure>
  );
}
