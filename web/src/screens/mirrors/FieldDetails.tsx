import type { Schemas } from "../../api/client";
import { Choice } from "./Choice";
import type { FieldPair, SetUp } from "./queries";

type Pair = Schemas["FieldPairBody"];

interface Props {
  pair: Pair;
  told: FieldPair | undefined;
  setUp: SetUp;
  onChange: (part: Partial<Pair>) => void;
}

/** What is chosen less often about two matched fields: options of how they are kept, emptied values, edits against the direction. */
export function FieldDetails({ pair, told, setUp, onChange }: Props) {
  const target = pair.direction === "to_left" ? setUp.left : setUp.right;
  const source = pair.direction === "to_left" ? setUp.right : setUp.left;
  const options = told?.translation === pair.translation ? told.asks : [];
  return (
    <div className="rules inner">
      {options.map((asked) => (
        <Option key={asked.option} asked={asked} pair={pair} onChange={onChange} />
      ))}
      <Choice
        label="If a value is emptied"
        value={pair.empty ?? "value"}
        words={{ value: "the other one is emptied", leave: "the other one stays" }}
        onChange={(empty) => onChange({ empty })}
      />
      {pair.direction !== "both" && (
        <Choice
          label={`If edited in ${target.name}`}
          value={pair.drift ?? "leave"}
          words={{ leave: `it stays until ${source.name} is edited`, restore: `it gets the value of ${source.name} again` }}
          onChange={(drift) => onChange({ drift })}
        />
      )}
    </div>
  );
}

interface OptionProps {
  asked: FieldPair["asks"][number];
  pair: Pair;
  onChange: (part: Partial<Pair>) => void;
}

function Option({ asked, pair, onChange }: OptionProps) {
  const now = pair.options?.[asked.option];
  const value = typeof now === "string" || typeof now === "number" ? String(now) : "";
  const set = (next: string) => onChange({ options: { ...pair.options, [asked.option]: next } });
  if (asked.choices.length > 0) {
    const words = Object.fromEntries(asked.choices.map((choice) => [choice.code, choice.words]));
    return <Choice label={asked.words} value={value} words={words} onChange={set} />;
  }
  return (
    <label className="cond labelled rule">
      <span>{asked.words}</span>
      <input defaultValue={value} onBlur={(event) => event.target.value !== value && set(event.target.value)} />
    </label>
  );
}
