import { Button } from "@mui/material";
import { usePress } from "./usePress";

interface Props {
  database: number;
  chosen: ReadonlySet<number>;
  onDone: () => void;
}

/** Starts workflows by hand: by the database's own buttons, and for the records that are chosen. */
export function DatabaseButtons({ database, chosen, onDone }: Props) {
  const { buttons, press, busy } = usePress(database);
  const records = [...chosen];
  const many = records.length === 1 ? "1 record" : `${records.length} records`;
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
          <button className="link" onClick={onDone}>
            choose none
          </button>
        </>
      )}
    </>
  );
}
