// Writes NOTICE: the licences of all that ships in the binary, as their authors
// worded them. Run with: npm run notice. With --check it only compares.
import { execFileSync } from "node:child_process";
import { existsSync, readdirSync, readFileSync, writeFileSync } from "node:fs";

/** The licence that stands in a folder. @param {string} dir */
function licence(dir) {
  const file = readdirSync(dir).find((f) => /^((un)?licen[cs]e|copying)(\.(md|txt))?$/i.test(f));
  return file ? readFileSync(`${dir}/${file}`, "utf8").trim() : "";
}

/** @type {{name: string, text: string}[]} */
const parts = [];
const json = execFileSync("go", ["list", "-deps", "-f", "{{with .Module}}{{.Path}} {{.Version}} {{.Dir}}{{end}}", "./cmd/blendseam"], {
  encoding: "utf8",
});
for (const line of new Set(json.trim().split("\n"))) {
  const [path, version, dir] = line.split(" ");
  if (path && path !== "blendseam" && dir) parts.push({ name: `${path} ${version}`, text: licence(dir) });
}
parts.push({ name: "The Go standard library", text: licence(execFileSync("go", ["env", "GOROOT"], { encoding: "utf8" }).trim()) });
const shipped = {
  "@alpinejs/csp": "scripts",
  tailwindcss: "styles",
  "lucide-static": "icons",
  "@fontsource-variable/atkinson-hyperlegible-next": "fonts",
  "@fontsource-variable/atkinson-hyperlegible-mono": "fonts",
  "@fontsource-variable/fraunces": "fonts",
};
for (const [name, what] of Object.entries(shipped)) {
  const dir = `node_modules/${name}`,
    own = JSON.parse(readFileSync(`${dir}/package.json`, "utf8"));
  parts.push({ name: `${name} ${own.version} (${what}, ${own.license})`, text: existsSync(dir) ? licence(dir) : "" });
}
parts.sort((a, b) => a.name.localeCompare(b.name, "en"));
const missing = parts.filter((p) => !p.text && !p.name.includes("MIT")).map((p) => p.name);
if (missing.length) {
  console.error(`no licence found for ${missing.join(", ")}`);
  process.exit(1);
}
const rule = "=".repeat(78);
const text = `Blend Seam ships the following works of others, each under its own licence.\n\n${parts.map((p) => `${rule}\n${p.name}\n${rule}\n\n${p.text || "MIT; the text is that of https://opensource.org/license/mit"}\n`).join("\n")}`;
if (process.argv.includes("--check")) {
  if (!existsSync("NOTICE") || readFileSync("NOTICE", "utf8") !== text) {
    console.error("NOTICE is stale: run npm run notice");
    process.exit(1);
  }
} else {
  writeFileSync("NOTICE", text);
}
