export const RUN_STATES: Record<string, { mark: string; word: string; look: string }> = {
  waiting: { mark: "◌", word: "Waiting", look: "look" },
  running: { mark: "◐", word: "Running", look: "look" },
  done: { mark: "●", word: "Done", look: "ok" },
  passed_by: { mark: "▬", word: "Skipped", look: "st" },
  failed: { mark: "!", word: "Failed", look: "bad" },
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
