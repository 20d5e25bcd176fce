// The grammar gives each part of the scripts of the demo the colour that the language server gives it.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { readFileSync, readdirSync } from "node:fs";
import { createRequire } from "node:module";
import { join } from "node:path";
import { test } from "node:test";

const require = createRequire(import.meta.url);
const { loadWASM, OnigScanner, OnigString } = require("vscode-oniguruma");
const { INITIAL, Registry, parseRawGrammar } = require("vscode-textmate");
const HERE = new URL("..", import.meta.url).pathname;
const ROOT = join(HERE, "..", "..");
const PYTHON = process.env.PYTHON ?? join(ROOT, ".venv", "bin", "python");
const SCRIPTS = [join(ROOT, "src", "idlefox", "demo"), join(ROOT, "tests", "samples"), join(HERE, "test")]
  .flatMap((folder) => readdirSync(folder).filter((name) => name.endsWith(".fox")).map((name) => join(folder, name)));

await loadWASM(readFileSync(require.resolve("vscode-oniguruma/release/onig.wasm")).buffer);
const file = join(HERE, "syntaxes", "fox.tmLanguage.json");
const grammar = await new Registry({
  onigLib: Promise.resolve({ createOnigScanner: (patterns) => new OnigScanner(patterns), createOnigString: (text) => new OnigString(text) }),
  loadGrammar: async () => parseRawGrammar(readFileSync(file, "utf-8"), file),
}).loadGrammar("source.fox");

/** The scope of every character of *text* that is not blank. */
const scopes = (text) => {
  let stack = INITIAL;
  return text.split("\n").map((line) => {
    const found = grammar.tokenizeLine(line, stack);
    stack = found.ruleStack;
    const each = Array(line.length);
    for (const { startIndex, endIndex, scopes } of found.tokens) each.fill(scopes.length > 1 ? scopes.at(-1) : "", startIndex, endIndex);
    return each;
  });
};

for (const path of SCRIPTS) {
  test(path.slice(ROOT.length), () => {
    const text = readFileSync(path, "utf-8");
    const found = scopes(text), lines = text.split("\n"), odd = [];
    const ends = [];
    for (const [part, number, scope] of JSON.parse(execFileSync(PYTHON, [join(ROOT, "tools", "grammar.py"), "--spans", path], { encoding: "utf-8" }))) {
      const at = lines[number - 1].indexOf(part, ends[number] ?? 0);
      ends[number] = at + part.length;
      const those = new Set(found[number - 1].slice(at, at + part.length).filter((_, index) => part[index] !== " "));
      if (those.size !== 1 || !those.has(scope)) odd.push(`${number}: ${part}: ${[...those]}, not ${scope}`);
    }
    assert.deepEqual(odd, []);
    assert(ends.length > 1);
  });
}
