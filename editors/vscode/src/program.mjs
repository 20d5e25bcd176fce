// Finds the program that is the language server. Knows nothing of the editor, so that it can be tested alone.
import { existsSync } from "node:fs";
import { join } from "node:path";

const ARGUMENTS = ["language-server"];
const INSIDE = process.platform === "win32" ? ["Scripts", "idlefox.exe"] : ["bin", "idlefox"];

/** Return the command and arguments that start the server: the program that is set, else that of `.venv` in one of *folders*, else the one on the PATH. */
export const program = (set, folders) => {
  if (set) return { command: set, args: ARGUMENTS };
  const local = folders.map((folder) => join(folder, ".venv", ...INSIDE)).find((path) => existsSync(path));
  return { command: local ?? "idlefox", args: ARGUMENTS };
};

/** Return what to tell a person when the server of *command* does not start. */
export const remedy = (command, fault) =>
  `${command} does not start (${fault?.message ?? fault}). Install it: pip install 'idle-fox[editor]'. Or set idlefox.program to its path.`;
