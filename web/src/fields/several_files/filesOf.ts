import type { Wire } from "../../api/queries";

/** Each file as a list: its name, size, kind, and where it lies. */
export const filesOf = (value: Wire | undefined): string[][] => (Array.isArray(value) ? value.filter((one) => Array.isArray(one)) : []);
