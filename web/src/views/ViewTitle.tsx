import { ListSubheader, Menu, MenuItem } from "@mui/material";
import { useState } from "react";
import { KINDS } from "./kinds";
import { useNotices } from "../frame/Notices";
import { useKeeping } from "./queries";
import { ALL_RECORDS, type Viewing } from "./useView";

interface Props {
  name: string;
  viewing: Viewing;
  database: number;
  onName: (of: "new" | "rename") => void;
}

/** The name of a database with the view that one looks at, which is chosen here. */
export function ViewTitle({ name, database, viewing, onName }: Props) {
  const { kept, views, choose } = viewing;
  const place = kept ? views.indexOf(kept) : -1;
  const { remove, order } = useKeeping(database);
  const { tell, fail } = useNotices();
  const onDelete = () =>
    kept &&
    remove.mutate(kept.id, {
      onSuccess: () => {
        choose(0);
        tell(`View “${kept.name}” deleted. Its records are kept.`);
      },
      onError: fail,
    });
  const onMove = (by: number) => {
    const ids = views.map((v) => v.id);
    const [one] = ids.splice(place, 1);
    if (one !== undefined) ids.splice(place + by, 0, one);
    order.mutate(ids, { onError: fail });
  };
  const [at, setAt] = useState<HTMLElement | null>(null);
  const take = (run: () => void) => () => {
    setAt(null);
    run();
  };
  return (
    <h1 className="grow">
      {name}
      <span>: </span>
      <button className="viewed" aria-haspopup="menu" onClick={(event) => setAt(event.currentTarget)}>
        {lower(viewing.name)}
        {viewing.isEdited && ", changed"} ▾
      </button>
      <Menu anchorEl={at} open={at !== null} onClose={() => setAt(null)}>
        {views.map((one) => (
          <MenuItem key={one.id} selected={one.id === kept?.id} onClick={take(() => choose(one.id))}>
            {one.name}
            <small className="quiet left-2">{KINDS[one.view.kind ?? "table"].name}</small>
          </MenuItem>
        ))}
        <MenuItem selected={!kept} divider onClick={take(() => choose(0))}>
          {ALL_RECORDS}
        </MenuItem>
        <MenuItem onClick={take(() => onName("new"))}>Save as new view</MenuItem>
        {kept && [
          <ListSubheader key="of">{kept.name}</ListSubheader>,
          <MenuItem key="rename" onClick={take(() => onName("rename"))}>
            Rename
          </MenuItem>,
          <MenuItem key="up" disabled={place === 0} onClick={take(() => onMove(-1))}>
            Move up
          </MenuItem>,
          <MenuItem key="down" disabled={place === views.length - 1} onClick={take(() => onMove(1))}>
            Move down
          </MenuItem>,
          <MenuItem key="delete" onClick={take(onDelete)}>
            Delete view
          </MenuItem>,
        ]}
      </Menu>
    </h1>
  );
}

/** As it stands in the title, after the colon: but for a name or an abbreviation. */
const lower = (name: string) => (/^[A-Z][a-z ]/.test(name) ? name.charAt(0).toLowerCase() + name.slice(1) : name);
