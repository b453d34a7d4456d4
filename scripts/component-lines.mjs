// Says which components have 150 lines or more: one that is longer does more than one thing, and a part of it is a
// component of its own.
import { readdirSync, readFileSync } from "node:fs";

const long = [];
for (const file of readdirSync("web/src", { recursive: true, encoding: "utf8" })) {
  if (!file.endsWith(".tsx")) continue;
  const lines = readFileSync(`web/src/${file}`, "utf8").split("\n");
  lines.forEach((line, begin) => {
    const name = /^(?:export )?function (\w+)/.exec(line)?.[1];
    const length = name ? lines.slice(begin).indexOf("}") + 1 : 0;
    if (length >= 150) long.push(`web/src/${file}: ${name} has ${length} lines; make parts of it components of their own`);
  });
}
if (long.length) {
  console.error(long.join("\n"));
  process.exit(1);
}
