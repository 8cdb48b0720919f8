// Reads GLB files by the validator of the glTF standard and prints, as JSON, what it says of each.
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";

const [folder, ...files] = process.argv.slice(2);
const { validateBytes } = createRequire(`${folder}/package.json`)("gltf-validator");
const told = await Promise.all(
  files.map(async (file) => {
    const { issues, info } = await validateBytes(new Uint8Array(readFileSync(file)), { maxIssues: 20 });
    const { numErrors, numWarnings, messages } = issues;
    return { file, errors: numErrors, warnings: numWarnings, messages, triangles: info.totalTriangleCount };
  }),
);
console.log(JSON.stringify(told));
