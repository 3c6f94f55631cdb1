// Builds what the application ships: the style sheet, htmx, and the fonts with their licences.
// With a folder as argument it builds there instead, so that a test can compare.
import { copyFileSync, mkdirSync } from "node:fs";
import { execFileSync } from "node:child_process";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

const here = dirname(fileURLToPath(import.meta.url));
const target = process.argv[2] ?? join(here, "../src/zero_easel/web/static");
const modules = join(here, "node_modules");
for (const folder of ["", "js", "fonts"]) mkdirSync(join(target, folder), { recursive: true });

copyFileSync(join(modules, "htmx.org/dist/htmx.min.js"), join(target, "js/htmx.min.js"));
for (const family of ["hanken-grotesk", "spline-sans-mono"]) {
  const source = join(modules, "@fontsource-variable", family);
  for (const subset of ["latin", "latin-ext"]) {
    const file = `${family}-${subset}-wght-normal.woff2`;
    copyFileSync(join(source, "files", file), join(target, "fonts", file));
  }
  copyFileSync(join(source, "LICENSE"), join(target, "fonts", `${family}-LICENSE.txt`));
}
execFileSync(join(modules, ".bin/tailwindcss"), ["-i", "app.css", "-o", join(target, "app.css"), "--minify"],
  { cwd: here, stdio: "inherit" });
