/** The screens, in the order of their use. */
export const MAIN = [
  ["Today", "/today"],
  ["Databases", "/databases"],
  ["Workflows", "/workflows"],
  ["Mirrors", "/mirrors"],
  ["Runs", "/runs"],
] as const;

export const BELOW = [
  ["Side by side", "/beside"],
  ["Captures", "/captures"],
  ["Connections", "/connections"],
  ["Trash", "/trash"],
  ["Practice apps", "/practice"],
] as const;
