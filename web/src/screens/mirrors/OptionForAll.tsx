import { MatchOptions } from "./MatchOptions";
import { useSetUp, type Mirror, type SetUp } from "./queries";
import { useSaving } from "./useSetUp";

interface Props {
  mirror: Mirror;
  field: string;
}

/** Give an option without a counterpart one, from the row where it is missing: once, for all items. */
export function OptionForAll({ mirror, field }: Props) {
  const setUp = useSetUp(mirror.id).data;
  if (!setUp) return null;
  return <Matching mirror={mirror} field={field} setUp={setUp} />;
}

function Matching({ mirror, field, setUp }: Props & { setUp: SetUp }) {
  const { draft, change } = useSaving(mirror.id, setUp);
  const pair = draft.fields.find((one) => one.id === field);
  const left = setUp.left.fields.find((one) => one.id === pair?.left);
  const right = setUp.right.fields.find((one) => one.id === pair?.right);
  if (!pair || !left || !right || !Array.isArray(pair.options?.pairs)) return null;
  const set = (pairs: string[][]) =>
    change({ fields: draft.fields.map((one) => (one.id === field ? { ...one, options: { ...one.options, pairs } } : one)) });
  return (
    <>
      <span>Match its options, for all items:</span>
      <MatchOptions left={left} right={right} pairs={pair.options.pairs as string[][]} onChange={set} />
    </>
  );
}
