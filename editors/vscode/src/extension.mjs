// Starts the language server and connects it with the editor. Everything else is in the server.
import { commands, window, workspace } from "vscode";
import { LanguageClient } from "vscode-languageclient/node";
import { program, remedy } from "./program.mjs";

const DOCUMENTS = [
  { scheme: "file", language: "idlefox" },
  { scheme: "file", pattern: "**/*.form.yaml" },
  { scheme: "file", pattern: "**/*.form.yml" },
];
let client;

const start = async () => {
  const folders = (workspace.workspaceFolders ?? []).map((folder) => folder.uri.fsPath);
  const server = program(workspace.getConfiguration("idlefox").get("program"), folders);
  const watcher = workspace.createFileSystemWatcher("**/{*.fox,*.form.yaml,*.form.yml,idlefox.toml}");
  client = new LanguageClient("idlefox", "Idle Fox", server, { documentSelector: DOCUMENTS, synchronize: { fileEvents: watcher } });
  try {
    await client.start();
  } catch (fault) {
    window.showErrorMessage(remedy(server.command, fault));
  }
};

const stop = async () => {
  if (client?.isRunning()) await client.stop();
  client = undefined;
};

export const activate = async (context) => {
  const restart = async () => { await stop(); await start(); };
  const changed = workspace.onDidChangeConfiguration((event) => event.affectsConfiguration("idlefox") && restart());
  context.subscriptions.push(commands.registerCommand("idlefox.restart", restart), changed);
  await start();
};

export const deactivate = stop;
