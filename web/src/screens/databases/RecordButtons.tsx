import { Button } from "@mui/material";
import { usePress } from "./usePress";

/** Starts workflows for this record: those with a button of their own, and others that a record can start. */
export function RecordButtons({ database, record }: { database: number; record: number }) {
  const { buttons, press, busy } = usePress(database);
  const own = buttons.filter((b) => b.of === "record");
  if (own.length === 0) return null;
  return (
    <div className="row wrapped below-2">
      {own.map((b) =>
        b.button ? (
          <Button key={b.workflow} onClick={() => press(b, [record], `${b.name} was started for this record.`)} disabled={busy}>
            {b.button}
          </Button>
        ) : (
          <button
            key={b.workflow}
            className="link"
            onClick={() => press(b, [record], `${b.name} was started for this record.`)}
            disabled={busy}
          >
            start {b.name}
          </button>
        ),
      )}
    </div>
  );
}
