import { MenuItem, Select } from "@mui/material";
import type { App } from "../../api/queries";
import type { Cell, Own } from "./model";
import type { useFetching } from "./useFetching";

export type Filter = "all" | "stops" | "wrong";
const FILTERS: Record<Filter, string> = { all: "all", stops: "only skipped or stopped", wrong: "only with problems" };

/** Whether a sample is shown: all, those that some line stops, or those with problems. */
export function shows(filter: Filter, cells: Cell[] | undefined): boolean {
  if (filter === "all" || !cells) return true;
  return cells.some((c) => c.state === "put_right" || c.doubts > 0 || (filter === "stops" && c.state === "passed_by"));
}

const OWN_ITEMS: Record<Own["kind"], string> = { record: "newest records", schedule: "next times", address: "requests" };

interface Props {
  samples: number;
  shown: number;
  filter: Filter;
  setFilter: (filter: Filter) => void;
  count: number;
  setCount: (count: number) => void;
  source: boolean;
  fetching: ReturnType<typeof useFetching>;
  app: App | undefined;
  own: Own | null;
  makeOne: () => void;
  compare: (() => void) | null;
}

/** The corner of the grid: which samples there are, which are shown, and how to get others. */
export function SamplesCorner({ samples, shown, filter, setFilter, count, setCount, source, fetching, app, own, makeOne, compare }: Props) {
  return (
    <>
      <div className="row">
        <span>
          {samples === 0
            ? "No samples yet"
            : shown === samples
              ? samples === 1
                ? "1 sample"
                : `${samples} samples`
              : `${shown} of ${samples} samples`}
        </span>
        {samples > 0 && (
          <Select
            value={filter}
            className="small"
            SelectDisplayProps={{ "aria-label": "Samples to show" }}
            onChange={(event) => setFilter(event.target.value as Filter)}
          >
            {(Object.keys(FILTERS) as Filter[]).map((f) => (
              <MenuItem key={f} value={f}>
                {FILTERS[f]}
              </MenuItem>
            ))}
          </Select>
        )}
        {compare && (
          <button className="link" onClick={compare}>
            Compare
          </button>
        )}
      </div>
      <div className="row close nowrap">
        <button className="link" onClick={fetching.fetch} disabled={!source || fetching.fetching} hidden={own?.kind === "address"}>
          {fetching.fetching
            ? "Fetching …"
            : samples
              ? "Fetch again"
              : own
                ? `Fetch ${OWN_ITEMS[own.kind]}`
                : `Fetch newest ${app?.items_word ?? "items"}`}
        </button>
        {own?.kind !== "address" && (
          <Select
            value={count}
            className="small"
            SelectDisplayProps={{ "aria-label": "Number to fetch" }}
            onChange={(event) => setCount(event.target.value)}
          >
            {[5, 20, 50].map((n) => (
              <MenuItem key={n} value={n}>
                {n}
              </MenuItem>
            ))}
          </Select>
        )}
        {!own && (
          <>
            <span>·</span>
            <button className="link" onClick={() => fetching.setWaiting(!fetching.waiting)} disabled={!source}>
              {fetching.waiting ? "Stop waiting" : "Wait for the next one"}
            </button>
          </>
        )}
        {own?.kind !== "address" && <span>·</span>}
        <button className="link" onClick={makeOne}>
          Create sample
        </button>
      </div>
      {fetching.waiting && (
        <div className="look">
          Waiting for the next {app?.item_word}. Create one now in {app?.name}.
        </div>
      )}
      {fetching.problem && <div className="bad">{fetching.problem}</div>}
      {fetching.nothing && <div>Nothing here yet. Create an item, or wait for the next one.</div>}
    </>
  );
}
