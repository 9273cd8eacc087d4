import type { Mirror, Row, Side } from "./queries";

/** A state of a row: its mark, its look and its word; and which others it is counted with. */
export const STATES: Record<string, [mark: string, look: string, word: string]> = {
  in_step: ["●", "ok", "in step"],
  behind: ["◔", "look", "behind"],
  conflict: ["✕", "bad", "conflict"],
  no_counterpart: ["◇", "look", "no counterpart"],
  refused: ["▲", "bad", "refused"],
  asked: ["?", "bad", "asked"],
  doubt: ["≈", "look", "in doubt"],
  only_left: ["○", "st", "only left"],
  only_right: ["○", "st", "only right"],
  left_out: ["–", "st", "left out"],
  outside: ["□", "st", "outside"],
  held: ["‖", "look", "held"],
  missing: ["◌", "look", "missing"],
  unconfirmed: ["≈", "look", "unconfirmed"],
  planned: ["◔", "st", "planned"],
};

export const stateOf = (state: string) => STATES[state] ?? (["·", "quiet", state] as const);

/** The states that are counted on top of a mirror, whether there are any or not; the others only where there are. */
export const ALWAYS = ["in_step", "behind", "conflict", "only_left", "only_right", "held"];

export const otherSide = (side: Side): Side => (side === "left" ? "right" : "left");

/** How a mirror goes: both ways, or one. */
export function ways(mirror: Mirror): string {
  const ways = new Set(mirror.matched.map((m) => m.direction));
  if (ways.has("both") || ways.size > 1) return "Both ways";
  return ways.has("to_right") ? "One way, to the right" : "One way, to the left";
}

/** What is asked of a pair as a whole, as a sentence. */
export function asking(row: Row, mirror: Mirror): string {
  const gone = row.asks === "left_but_edited" ? "is outside the filter now" : "was deleted";
  const deleted = row.state === "asked" ? `One of these ${mirror.left.items_word} or ${mirror.right.items_word} ${gone}` : "";
  switch (row.asks) {
    case "too_many":
      return "This deletion waits, because many items were deleted at once.";
    case "too_many_changes":
      return "This change waits, because many items were changed within a day.";
    case "deleted_but_edited":
      return `${deleted}, and the other one was edited since.`;
    case "left_but_edited":
      return `${deleted}, and the other one was edited since.`;
    default:
      return `${deleted}.`;
  }
}

/** What is done to a mirror as a whole. */
export function stageWords(mirror: Mirror): string {
  const stage = mirror.stage;
  if (!stage) return "";
  const read = `${stage.left.toLocaleString("en-GB")} and ${stage.right.toLocaleString("en-GB")} items read`;
  const words: Record<string, string> = {
    read: `Reading both sides: ${read}`,
    match: `Recognising pairs: ${read}`,
    carry: `Carrying out the plan: ${stage.done.toLocaleString("en-GB")} items`,
    sweep: `Checking parity: ${read}`,
    rehearse: `Rehearsing: ${read}`,
    parity: "Checking parity: comparing pairs",
  };
  return words[stage.does] ?? "";
}

export const MIRROR_STATES: Record<Mirror["state"], [look: string, word: string]> = {
  draft: ["plain", "Draft"],
  planning: ["plain", "Planning"],
  planned: ["off", "Planned"],
  on: ["on", "On"],
  paused: ["off", "Paused"],
  stopped: ["off", "Stopped"],
  off: ["off", "Off"],
};
