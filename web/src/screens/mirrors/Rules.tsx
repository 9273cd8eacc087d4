import { SIDES, type SetUp } from "./queries";
import { Archive } from "./Archive";
import { Choice } from "./Choice";
import type { Draft } from "./useSetUp";

interface Props {
  setUp: SetUp;
  draft: Draft;
  onChange: (part: Partial<Draft>) => void;
}

/** What is done to whole items: where they are created, what becomes of deletions and of what comes outside the filter. */
export function Rules({ setUp, draft, onChange }: Props) {
  const { left, right } = setUp;
  return (
    <section aria-label="Rules">
      <h2>Rules</h2>
      <Choice
        label="Missing items are created"
        value={draft.creates ?? "both"}
        words={{ both: "on both sides", left: `in ${left.name} only`, right: `in ${right.name} only`, none: "nowhere" }}
        onChange={(creates) => onChange({ creates })}
      />
      <Choice
        label="If paired items differ at first"
        value={draft.first ?? "merge"}
        words={{ merge: "fill what is empty, ask for the rest", left: `${left.name} is right`, right: `${right.name} is right` }}
        onChange={(first) => onChange({ first })}
      />
      <Choice
        label="If one item is deleted"
        value={draft.deletes ?? "ask"}
        words={{
          ask: "ask",
          follow: "delete the other, unless it was edited",
          archive: "archive the other, unless it was edited",
          keep: "keep the other",
        }}
        onChange={(deletes) => onChange({ deletes })}
      />
      <Choice
        label="If an item comes outside the filter"
        value={draft.leaving ?? "stop"}
        words={{
          stop: "nothing more crosses",
          archive: "archive the other until it comes back",
          delete: "delete the other, unless it was edited",
        }}
        onChange={(leaving) => onChange({ leaving })}
      />
      {(draft.deletes === "archive" || draft.leaving === "archive") &&
        SIDES.map((side) => <Archive key={side} side={setUp[side]} of={side} draft={draft} onChange={onChange} />)}
      <Choice
        label="Ask before more is deleted in a day than"
        value={String(draft.share ?? 0.1)}
        words={{ "0.05": "5% of a side, or 5 items", "0.1": "10% of a side, or 5 items", "0.25": "25% of a side, or 5 items" }}
        onChange={(share) => onChange({ share: Number(share) })}
      />
      <Choice
        label="A new item crosses"
        value={String(draft.quiet ?? 3)}
        words={{ "0": "at once", "3": "3 seconds after the last edit", "15": "15 seconds after the last edit" }}
        onChange={(quiet) => onChange({ quiet: Number(quiet) })}
      />
      {left.comments && right.comments && (
        <Choice
          label="New comments cross"
          value={draft.comments ?? "none"}
          words={{ both: "both ways", to_right: `to ${right.name} only`, to_left: `to ${left.name} only`, none: "nowhere" }}
          onChange={(comments) => onChange({ comments })}
        />
      )}
    </section>
  );
}
