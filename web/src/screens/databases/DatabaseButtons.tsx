import { Button } from "@mui/material";
import { answer, client } from "../../api/client";
import { useDeleting } from "../../parts/Deleting";
import { usePress } from "./usePress";

interface Props {
  database: number;
  chosen: ReadonlySet<number>;
  onDone: () => void;
}

/** Starts workflows by hand, by the database's own buttons and for the records that are chosen; and deletes those. */
export function DatabaseButtons({ database, chosen, onDone }: Props) {
  const { buttons, press, busy } = usePress(database);
  const records = [...chosen];
  const many = records.length === 1 ? "1 record" : `${records.length} records`;
  const { start, dialog } = useDeleting();
  const remove = () =>
    start({
      name: many,
      also: records.length > 1 ? "" : undefined,
      many: true,
      run: () =>
        answer(
          client.POST("/api/v1/databases/{database_id}/records/delete", { params: { path: { database_id: database } }, body: { records } }),
        ),
      onDone,
    });
  return (
    <>
      {buttons
        .filter((b) => b.of === "database")
        .map((b) => (
          <Button key={b.workflow} disabled={busy} onClick={() => press(b, [], `${b.name} was started.`)}>
            {b.button}
          </Button>
        ))}
      {records.length > 0 && (
        <>
          <span>{many} chosen</span>
          {buttons
            .filter((b) => b.of === "record")
            .map((b) => (
              <Button
                key={b.workflow}
                disabled={busy}
                onClick={() => {
                  press(b, records, `${b.name} was started for ${many}.`);
                  onDone();
                }}
              >
                {b.button ?? `Start ${b.name}`}
              </Button>
            ))}
          <Button color="error" onClick={remove}>
            Delete {records.length === 1 ? "it" : "them"}
          </Button>
          <button className="link" onClick={onDone}>
            Clear selection
          </button>
        </>
      )}
      {dialog}
    </>
  );
}
