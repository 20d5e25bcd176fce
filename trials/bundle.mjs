// Bundles the trials named on the command line (all without names) into STACK/built/.
import { existsSync, readdirSync, readFileSync } from "node:fs";
import { build } from "esbuild";
import { compile } from "svelte/compiler";

const here = new URL(".", import.meta.url).pathname;
const entries = ["main.jsx", "main.js"];
const stacks = readdirSync(here).filter((name) => entries.some((entry) => existsSync(`${here}${name}/${entry}`)));
const svelte = {
  name: "svelte",
  setup(bundle) {
    bundle.onLoad({ filter: /\.svelte$/ }, ({ path }) => ({ contents: compile(readFileSync(path, "utf8"), { filename: path, css: "injected" }).js.code, loader: "js" }));
  },
};
for (const stack of process.argv.length > 2 ? process.argv.slice(2) : stacks) {
  const entry = entries.map((each) => `${here}${stack}/${each}`).find(existsSync);
  const own = stack === "preact" ? { jsxImportSource: "preact" } : {};
  await build({
    entryPoints: [entry], outfile: `${here}${stack}/built/main.js`, bundle: true, minify: true, format: "esm", jsx: "automatic", logLevel: "warning",
    define: { "process.env": "{}", "process.env.NODE_ENV": '"production"', __VUE_OPTIONS_API__: "true", __VUE_PROD_DEVTOOLS__: "false", __VUE_PROD_HYDRATION_MISMATCH_DETAILS__: "false" },
    alias: { vue: "vue/dist/vue.esm-bundler.js" }, conditions: ["svelte", "browser"], loader: { ".woff2": "empty", ".woff": "empty", ".ttf": "empty", ".eot": "empty" }, plugins: [svelte], ...own,
  });
  console.log(`${stack} is built`);
}
