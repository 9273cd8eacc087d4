import { MenuItem, Select } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { answer, client } from "../../api/client";
import { useMe } from "../../api/queries";
import { dateTime } from "../../parts/dates";
import type { Schedule } from "../../screens/timetable/model";
import { DAYS, ordinary, ruleOf, UNITS, type Ordinary } from "../../screens/timetable/scheduleRule";

interface Props {
  own: Schedule;
  onChange: (own: Schedule) => void;
}

const how = (own: Schedule) => (own.cron ? "cron" : ordinary(own) ? "plain" : "rule");

/** Times that come round: in plain choices, as an iCalendar rule, or as a cron expression; and when that is. */
export function ScheduleWhen({ own, onChange }: Props) {
  const zone = useMe().data?.timezone ?? "UTC";
  const ahead = useQuery({
    queryKey: ["schedule", own],
    queryFn: () => answer(client.POST("/api/v1/schedule", { body: own })),
    placeholderData: (before) => before,
    staleTime: 30_000,
  }).data;
  const kind = how(own);
  const choose = (next: string) => {
    if (next === "cron") onChange({ ...own, cron: "0 8 * * MON-FRI" });
    else if (next === "plain") onChange({ ...own, cron: "", rule: "FREQ=DAILY" });
    else
      onChange({
        ...own,
        cron: "",
        rule: kind === "plain" ? `${own.rule};BYHOUR=${Number(own.start.slice(11, 13))}` : own.rule || "FREQ=DAILY",
      });
  };
  return (
    <>
      <div className="cond labelled whole">
        <span>Repeat</span>
        <Select
          value={kind}
          className="w-280"
          SelectDisplayProps={{ "aria-label": "Schedule format" }}
          onChange={(event) => choose(event.target.value)}
        >
          <MenuItem value="plain">by choices</MenuItem>
          <MenuItem value="rule">by an iCalendar rule (RFC 5545)</MenuItem>
          <MenuItem value="cron">by a cron expression</MenuItem>
        </Select>
      </div>
      {kind === "plain" && <Plain own={own} onChange={onChange} />}
      {kind === "rule" && (
        <div className="cond labelled whole">
          <label htmlFor="rule">Rule</label>
          <input id="rule" className="find flush" value={own.rule} onChange={(event) => onChange({ ...own, rule: event.target.value })} />
        </div>
      )}
      {kind === "cron" && (
        <div className="cond labelled whole">
          <label htmlFor="cron">Expression</label>
          <input
            id="cron"
            className="find flush max-280"
            value={own.cron}
            onChange={(event) => onChange({ ...own, cron: event.target.value })}
          />
        </div>
      )}
      {kind !== "cron" && (
        <div className="cond labelled whole">
          <label htmlFor="begins">Starting</label>
          <input
            id="begins"
            type="datetime-local"
            className="find flush w-220"
            value={own.start}
            onChange={(event) => event.target.value && onChange({ ...own, start: event.target.value.slice(0, 16) })}
          />
        </div>
      )}
      {ahead?.problem && <div className="note">! {ahead.problem}.</div>}
      {!!ahead?.times.length && !ahead.problem && (
        <div className="cond labelled whole top">
          <span>Next runs</span>
          <div>
            {ahead.times.map((at) => (
              <div key={at} className="t">
                {dateTime(at, zone)}
              </div>
            ))}
            <p className="quiet">
              {ahead.a_month === 1 ? "once" : `${ahead.a_month} times`} in the next 30 days, in time zone {zone}
            </p>
          </div>
        </div>
      )}
    </>
  );
}

/** Every so many days, weeks, months, hours or minutes; on which days of the week or the month. */
function Plain({ own, onChange }: Props) {
  const said = ordinary(own);
  if (!said) return null;
  const set = (next: Partial<Ordinary>) => onChange({ ...own, rule: ruleOf({ ...said, ...next }) });
  return (
    <div className="cond labelled whole">
      <span>Every</span>
      <div className="row wrapped">
        <input
          type="number"
          min={1}
          max={99}
          className="find flush w-64"
          aria-label="Interval"
          value={said.interval}
          onChange={(event) => set({ interval: Math.max(1, Math.round(Number(event.target.value) || 1)) })}
        />
        <Select
          value={said.unit}
          SelectDisplayProps={{ "aria-label": "Unit" }}
          onChange={(event) => set({ unit: event.target.value as Ordinary["unit"], days: [] })}
        >
          {Object.entries(UNITS).map(([unit, words]) => (
            <MenuItem key={unit} value={unit}>
              {words}
            </MenuItem>
          ))}
        </Select>
        {said.unit !== "HOURLY" && said.unit !== "MINUTELY" && (
          <label className="row close">
            at
            <input
              type="time"
              className="find flush w-112"
              value={own.start.slice(11, 16)}
              onChange={(event) => event.target.value && onChange({ ...own, start: `${own.start.slice(0, 11)}${event.target.value}` })}
            />
          </label>
        )}
        {said.unit === "WEEKLY" && (
          <span role="group" aria-label="Days of the week">
            {Object.entries(DAYS).map(([day, words]) => (
              <button
                key={day}
                className="day"
                aria-pressed={said.days.includes(day)}
                onClick={() => set({ days: Object.keys(DAYS).filter((d) => (d === day) !== said.days.includes(d)) })}
              >
                {words}
              </button>
            ))}
          </span>
        )}
      </div>
    </div>
  );
}
