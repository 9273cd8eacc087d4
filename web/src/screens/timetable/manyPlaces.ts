/** How several places stand for one source: all that are shared, or their ids with this between them, which no id has. */
export const ALL = "*";
export const BETWEEN = "\u001f";

export const isSeveral = (container: string | null | undefined) => container === ALL || !!container?.includes(BETWEEN);

/** Whether a place is among those that a source stands for. */
export const isAmong = (place: string, container: string) => container === ALL || container.split(BETWEEN).includes(place);
