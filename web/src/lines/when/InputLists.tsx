import type { Address } from "../../screens/timetable/model";
import { InputsTable } from "./InputsTable";

type List = Address["lists"][number];

interface Props {
  lists: List[];
  fresh: Address["inputs"][number];
  onChange: (lists: List[]) => void;
}

/** The lists that a request brings, whose rows a Repeat line goes through. */
export function InputLists({ lists, fresh, onChange }: Props) {
  const set = (at: number, next: List | null) => onChange(lists.flatMap((l, n) => (n === at ? (next ? [next] : []) : [l])));
  return lists.map((list, at) => (
    <div key={at} className="around-1">
      <div className="cond labelled">
        <label htmlFor={`list-${at}`}>List</label>
        <input
          id={`list-${at}`}
          className="find flush"
          placeholder="order.lines"
          value={list.key}
          onChange={(event) => set(at, { ...list, key: event.target.value })}
        />
        <span>
          <button className="link" onClick={() => set(at, { ...list, fields: [...list.fields, fresh] })}>
            + Add value of each row
          </button>
          {" · "}
          <button className="link" aria-label={`Remove the list ${list.key}`} onClick={() => set(at, null)}>
            Remove
          </button>
        </span>
      </div>
      <InputsTable label={`Values of each row of ${list.key}`} inputs={list.fields} onChange={(fields) => set(at, { ...list, fields })} />
    </div>
  ));
}
