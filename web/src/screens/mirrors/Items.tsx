import { useState } from "react";
import { useSearchParams } from "react-router";
import { Counts } from "./Counts";
import { DecideAll } from "./DecideAll";
import { PairTable } from "./PairTable";
import { useFound, type Mirror } from "./queries";
import { Unconfirmed } from "./Unconfirmed";
import { ALWAYS, stateOf } from "./words";

const ALL = "all";

/** The items of a mirror, both sides aligned; the counts are the filter. */
export function Items({ mirror, stamp }: { mirror: Mirror; stamp: number }) {
  const [params, setParams] = useSearchParams();
  const [text, setText] = useState("");
  const state = params.get("state") ?? ALL;
  const found = useFound(mirror.id, text).data;
  const total = Object.values(mirror.counts).reduce((sum, n) => sum + n, 0);
  const more = Object.keys(mirror.counts).filter((key) => !ALWAYS.includes(key));
  const counts = [
    { key: ALL, word: "all", number: total },
    ...[...ALWAYS, ...more].map((key) => {
      const [, look, word] = stateOf(key);
      return { key, word, number: mirror.counts[key] ?? 0, look: look === "bad" ? "bad" : undefined };
    }),
  ];
  const choose = (key: string) => setParams(key === ALL ? {} : { state: key }, { replace: true });
  const searching = text.trim().length > 1;
  return (
    <>
      <div className="row counting">
        <div className="grow">
          <Counts label="Items by state" counts={counts} chosen={state} onChoose={choose} />
        </div>
        <input
          className="find max-200"
          type="search"
          aria-label="Where is my item?"
          placeholder="Where is my item?"
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
      </div>
      <Unconfirmed mirror={mirror} />
      <DecideAll mirror={mirror} />
      {total === 0 && !searching ? (
        <div className="empty">
          <p>No items yet. What is on either side appears here.</p>
        </div>
      ) : (
        <PairTable
          mirror={mirror}
          chosen={{ states: state === ALL ? [] : [state] }}
          total={state === ALL ? total : (mirror.counts[state] ?? 0)}
          stamp={stamp}
          only={searching ? (found ?? []) : undefined}
        />
      )}
    </>
  );
}
