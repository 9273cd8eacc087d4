import { useMemo, useState } from "react";
import type { App, Sample, Wire } from "../../api/queries";
import { AsItself } from "./AsItself";
import { sameRef, type Carried, type Own, type Ref } from "./model";
import { usePointing } from "./pointing";

interface Props {
  sample: Sample;
  carried: Carried[];
  when: string;
  own: Own | null;
  app: App | undefined;
  zone: string;
  shown: (ref: Ref) => string;
  valueOf: (ref: Ref) => Wire | undefined;
  /** What is wrong with a value that cannot be read. */
  unreadable: Record<string, string>;
  makeField: ((carried: Carried) => void) | null;
  edit: () => void;
}

/** The chosen sample as itself, or as the list of all carried values. */
export function SampleView(props: Props) {
  const [list, setList] = useState(false);
  return (
    <div>
      <div className="ph">
        <div className="grow">
          {list ? "Carried values" : props.own ? WORDS[props.own.kind] : (props.app?.display.word ?? "The item")}{" "}
          <span className="quiet">· {list ? "select one to fill" : "select a part"}</span>
        </div>
        <button className="link" onClick={props.edit}>
          Edit sample
        </button>
        <button className="link" onClick={() => setList(!list)}>
          {list ? "As it looks" : "As a list"}
        </button>
      </div>
      {props.sample.kind !== "fetched" && (
        <p className="look">{props.sample.kind === "made_up" ? "This sample is made up." : "This sample was edited."}</p>
      )}
      {list ? (
        <List {...props} />
      ) : props.own || !props.app?.display.heading ? (
        <Particulars {...props} />
      ) : (
        <AsItself {...props} display={props.app.display} />
      )}
    </div>
  );
}

const WORDS: Record<Own["kind"], string> = { record: "The record", schedule: "The time", address: "The request" };

/** A record, a row, a time or a request, value by value; each can be pointed at. */
function Particulars({ carried, when, shown }: Props) {
  const { point, used } = usePointing();
  return (
    <div className="letter" aria-label="Sample as it looks">
      <dl className="short">
        {carried
          .filter((c) => c.line === when && shown({ line: c.line, value: c.key }))
          .map((c) => {
            const ref = { line: c.line, value: c.key };
            return [
              <dt key={`t ${c.key}`}>{c.name[0] === "Before" ? `before: ${c.name.slice(1).join(" › ")}` : c.name.slice(1).join(" › ")}</dt>,
              <dd key={`d ${c.key}`}>
                <button
                  type="button"
                  className={used.some((u) => sameRef(u, ref)) ? "pt used" : "pt"}
                  onMouseDown={(e) => e.preventDefault()}
                  onClick={() => point(ref)}
                >
                  {shown(ref).slice(0, 1000)}
                </button>
              </dd>,
            ];
          })}
      </dl>
    </div>
  );
}

const groupOf = (c: Carried | undefined) => (c && c.name.length > 1 ? c.name[0] : "Shaped");

/** All carried values of all lines above, flat, searched by name and by what they contain. */
function List({ carried, when, shown, valueOf, unreadable, makeField }: Props) {
  const [query, setQuery] = useState("");
  const { point, used } = usePointing();
  const words = query.toLowerCase().trim();
  const found = useMemo(
    () =>
      carried.filter((c) => !words || `${c.name.join(" ")} ${valueOf({ line: c.line, value: c.key }) ?? ""}`.toLowerCase().includes(words)),
    [carried, words, valueOf],
  );
  return (
    <>
      <input
        className="find"
        type="search"
        aria-label="Search carried values"
        placeholder="Search by name or content"
        value={query}
        onChange={(e) => setQuery(e.target.value)}
      />
      <div className="cv">
        {found.map((c, n) => {
          const ref = { line: c.line, value: c.key };
          const value = valueOf(ref);
          return [
            (n === 0 || groupOf(found[n - 1]) !== groupOf(c)) && (
              <span key={`g${n}`} className="g">
                {groupOf(c)}
              </span>
            ),
            <button
              key={`k${n}`}
              className={`link k ${used.some((u) => sameRef(u, ref)) ? "pt used" : ""}`}
              onMouseDown={(e) => e.preventDefault()}
              onClick={() => point(ref)}
            >
              {c.name.slice(1).join(" › ") || c.name[0]}
            </button>,
            <span key={`v${n}`} className="clip" title={(c.line === when && unreadable[c.key]) || shown(ref).slice(0, 500)}>
              {c.line === when && unreadable[c.key] ? (
                <b className="bad">! can’t be read: {unreadable[c.key]}</b>
              ) : value === undefined ? (
                <i className="quiet">not in this sample</i>
              ) : value === null ? (
                <i className="quiet">empty</i>
              ) : (
                <Marked text={shown(ref)} words={words} />
              )}
            </span>,
            makeField ? (
              <button
                key={`m${n}`}
                className="link"
                title={`Create field from ${c.name.slice(1).join(" › ") || c.name[0]}`}
                onClick={() => makeField(c)}
              >
                + field
              </button>
            ) : (
              <span key={`m${n}`} />
            ),
          ];
        })}
      </div>
      {found.length === 0 && <p className="quiet">No matching values.</p>}
    </>
  );
}

/** The text from a little before the words that were searched for, with these marked. */
function Marked({ text, words }: { text: string; words: string }) {
  const at = words ? text.toLowerCase().indexOf(words) : -1;
  if (at < 0) return <>{text.slice(0, 200)}</>;
  const from = Math.max(0, at - 12);
  return (
    <>
      {from > 0 && "…"}
      {text.slice(from, at)}
      <mark>{text.slice(at, at + words.length)}</mark>
      {text.slice(at + words.length, at + 160)}
    </>
  );
}
