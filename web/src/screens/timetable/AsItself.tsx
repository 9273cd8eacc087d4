import type { App, Sample } from "../../api/queries";
import { Markdown } from "../../parts/Markdown";
import type { Ref } from "./model";
import { usePointing } from "./pointing";
import { sameRef } from "./model";

interface Props {
  sample: Sample;
  display: App["display"];
  when: string;
  shown: (ref: Ref) => string;
}

/** An item of an app as itself, as its connector says: every piece of it is a carried value that can be pointed at. */
export function AsItself({ sample, display, when, shown }: Props) {
  const { point, used } = usePointing();
  const piece = (key: string, markdown = false) => {
    const ref = { line: when, value: key };
    const text = shown(ref);
    if (!text) return null;
    const mark = used.some((u) => sameRef(u, ref)) ? "pt used" : "pt";
    if (markdown) {
      // A button holds no headings or lists: what stands for one is pressed in the same ways. Links in it lead nowhere from here.
      return (
        <div
          key={key}
          role="button"
          tabIndex={0}
          className={`${mark} md`}
          onMouseDown={(e) => e.preventDefault()}
          onClick={() => point(ref)}
          onKeyDown={(e) => e.key === "Enter" && point(ref)}
        >
          <Markdown disallowedElements={["a", "img"]} unwrapDisallowed>
            {text.slice(0, 6000)}
          </Markdown>
        </div>
      );
    }
    return (
      <button key={key} type="button" className={mark} onMouseDown={(e) => e.preventDefault()} onClick={() => point(ref)}>
        {text.slice(0, 6000)}
      </button>
    );
  };
  const rows = display.particulars
    .map((p) => ({ label: p.label, pieces: p.keys.map((key) => piece(key)).filter(Boolean) }))
    .filter((r) => r.pieces.length);
  return (
    <div className="letter" aria-label={`${display.word} as it looks`}>
      <div className="heading">{piece(display.heading)}</div>
      <dl>
        {rows.map((row) => [
          <dt key={`t ${row.label}`}>{row.label}</dt>,
          <dd key={`d ${row.label}`} className="pieces">
            {row.pieces}
          </dd>,
        ])}
      </dl>
      {display.body.map((key) => (
        <div key={key} className={display.markdown ? undefined : "body"}>
          {piece(key, display.markdown)}
        </div>
      ))}
      {sample.values.problems && <p className="look">{String(sample.values.problems)}</p>}
    </div>
  );
}
