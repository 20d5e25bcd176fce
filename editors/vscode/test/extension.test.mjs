// The built extension starts the language server and reports its errors. The editor is a stand-in: it has what the client asks for.
import assert from "node:assert/strict";
import { mkdtempSync, mkdirSync, readFileSync, symlinkSync, writeFileSync } from "node:fs";
import Module, { createRequire } from "node:module";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { test } from "node:test";
import { program, remedy } from "../src/program.mjs";

const require = createRequire(import.meta.url);
const HERE = new URL("..", import.meta.url).pathname;
const IDLEFOX = process.env.IDLEFOX ?? join(HERE, "..", "..", ".venv", "bin", "idlefox");

/** An object that answers everything: functions return one, classes can be extended, events give a way to dispose of them. */
const anything = (own = {}) => new Proxy(class { dispose() {} }, {
  get: (target, key) => key in own ? own[key] : key in target ? target[key] : typeof key === "symbol" || key === "then" ? undefined : (own[key] = anything()),
  apply: () => anything(),
});

const editor = (settings, opened) => {
  const told = [], found = [];
  const collection = anything({ set: (uri, all) => found.push([String(uri), all]), delete: () => {}, clear: () => {}, dispose: () => {} });
  const event = () => ({ dispose: () => {} });
  const uri = (text) => ({ toString: () => text, scheme: "file", fsPath: text.replace("file://", ""), path: text.replace("file://", "") });
  const output = { append: () => {}, appendLine: () => {}, show: () => {}, dispose: () => {}, replace: () => {}, clear: () => {} };
  class Disposable { constructor(over) { this.over = over; } dispose() { this.over?.(); } }
  class Plain { constructor(...given) { this.given = given; } }
  class CancellationTokenSource { constructor() { this.token = { isCancellationRequested: false, onCancellationRequested: event }; } cancel() {} dispose() {} }
  class EventEmitter { constructor() { this.event = event; } fire() {} dispose() {} }
  const workspace = anything({
    workspaceFolders: [{ uri: uri(`file://${opened.folder}`), name: "w", index: 0 }], textDocuments: [opened], notebookDocuments: [],
    getConfiguration: () => ({ get: (key) => settings[key], has: () => false }), createFileSystemWatcher: () => anything({ dispose: () => {} }),
    isTrusted: true, name: "w",
  });
  const window = anything({ showErrorMessage: (text) => told.push(text), createOutputChannel: () => output, visibleTextEditors: [], activeTextEditor: undefined });
  const languages = anything({ createDiagnosticCollection: () => collection, match: () => 10 });
  const names = { CancellationTokenSource, Disposable, EventEmitter, Diagnostic: Plain, Range: Plain, Position: Plain, CodeLens: Plain, Location: Plain };
  const own = { workspace, window, languages, ...names, env: { appName: "x", language: "en" }, version: "1.99.0", Uri: { parse: uri, file: (path) => uri(`file://${path}`) } };
  return { vscode: anything(own), told, found };
};

/** Load the built extension with a stand-in for the editor, and start it. */
const started = async (settings, opened) => {
  const stand = editor(settings, opened), load = Module._load;
  Module._load = (name, ...rest) => (name === "vscode" ? stand.vscode : load(name, ...rest));
  try {
    delete require.cache[require.resolve("../out/extension.cjs")];
    const extension = require("../out/extension.cjs");
    await extension.activate({ subscriptions: [] });
    return { ...stand, extension };
  } finally {
    Module._load = load;
  }
};

const script = (text) => {
  const folder = mkdtempSync(join(tmpdir(), "fox-")), path = join(folder, "a.fox"), uri = `file://${path}`;
  writeFileSync(path, text);
  return { folder, uri: { toString: () => uri, scheme: "file", fsPath: path, path }, languageId: "idlefox", version: 1, fileName: path, getText: () => text, isClosed: false };
};

test("an error of a script is shown", { timeout: 60_000 }, async () => {
  const { found, told, extension } = await started({ program: IDLEFOX }, script('subject "none.form.yaml"\nscenario "a"\n  typ x "y"\n'));
  while (!found.length && !told.length) await new Promise((later) => setTimeout(later, 20));
  await extension.deactivate();
  assert.deepEqual(told, []);
  assert.match(found[0][0], /a\.fox$/);
  assert(found[0][1].length > 0);
});

test("a program that is not there is an error that says what to do", { timeout: 60_000 }, async () => {
  const { told } = await started({ program: "/nowhere/idlefox" }, script(""));
  assert.match(told.join("\n"), /\/nowhere\/idlefox does not start .*pip install 'idle-fox\[editor\]'.*idlefox\.program/s);
});

test("the program of the workspace comes before that on the PATH", () => {
  const folder = mkdtempSync(join(tmpdir(), "fox-")), local = join(folder, ".venv", "bin", "idlefox");
  assert.equal(program("", [folder]).command, "idlefox");
  mkdirSync(join(folder, ".venv", "bin"), { recursive: true });
  symlinkSync(IDLEFOX, local);
  assert.deepEqual(program("", ["/elsewhere", folder]), { command: local, args: ["language-server"] });
  assert.equal(program("/opt/idlefox", [folder]).command, "/opt/idlefox");
  assert.match(remedy("idlefox", new Error("ENOENT")), /ENOENT/);
});

test("the manifest names files that are there", () => {
  const manifest = JSON.parse(readFileSync(join(HERE, "package.json"), "utf-8"));
  for (const { path } of manifest.contributes.grammars) assert.equal(JSON.parse(readFileSync(join(HERE, path), "utf-8")).scopeName, "source.fox");
  for (const { configuration } of manifest.contributes.languages) JSON.parse(readFileSync(join(HERE, configuration), "utf-8"));
});
