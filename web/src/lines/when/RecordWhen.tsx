import type { Database, WorkflowDetail } from "../../api/queries";
import { DatabaseSelect } from "../../screens/timetable/DatabaseSelect";
import type { RecordEvent } from "../../screens/timetable/model";
import { watchable } from "./watching";
import { Waited, Watched } from "./Watched";

interface Props {
  own: RecordEvent;
  databases: Database[];
  listens: WorkflowDetail["listens"];
  onChange: (own: RecordEvent) => void;
}

/** Something that happens to a record: of which database, to which fields, and what is waited for. */
export function RecordWhen({ own, databases, listens, onChange }: Props) {
  const database = databases.find((d) => d.id === own.database);
  const fields = watchable(database?.fields ?? []);
  const presses = own.event === "button" || own.event === "database_button";
  return (
    <>
      <div className="cond labelled">
        <DatabaseSelect
          words="Database"
          label="Database to watch"
          value={own.database}
          databases={databases}
          onChange={(d) => onChange({ ...own, database: d.id, fields: [], field: null, filled: [] })}
        />
      </div>
      {database && <Watched event={own.event} watch={own} fields={fields} onChange={(watch) => onChange({ ...own, ...watch })} />}
      {presses && (
        <div className="cond labelled">
          <label htmlFor="button-words">Button label</label>
          <input
            id="button-words"
            className="find flush"
            placeholder="Send the quote"
            value={own.button}
            onChange={(event) => onChange({ ...own, button: event.target.value.slice(0, 40) })}
          />
        </div>
      )}
      {database && !presses && <Waited watch={own} fields={fields} words="records" onChange={(watch) => onChange({ ...own, ...watch })} />}
      <p className="quiet">A workflow never starts from its own changes, directly or through other workflows.</p>
      {!!listens?.itself && (
        <div className="note">
          {listens.itself === 1
            ? "1 change by this workflow was ignored to prevent a loop."
            : `${listens.itself} changes by this workflow were ignored to prevent a loop.`}
        </div>
      )}
    </>
  );
}
