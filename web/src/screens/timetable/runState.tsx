export const RUN_STATES: Record<string, { mark: string; word: string; look: string }> = {
  waiting: { mark: "◌", word: "waiting", look: "look" },
  running: { mark: "◐", word: "running", look: "look" },
  done: { mark: "●", word: "done", look: "ok" },
  passed_by: { mark: "▬", word: "passed by", look: "st" },
  failed: { mark: "!", word: "failed", look: "bad" },
};

export function RunState({ state }: { state: string }) {
  const known = RUN_STATES[state] ?? { mark: "?", word: state, look: "quiet" };
  return (
    <span className={known.look}>
      <span className="mk">{known.mark}</span>
      {known.word}
    </span>
  );
}
