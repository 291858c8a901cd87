// Prints what the Khronos validator finds in a file: node validate-gltf.mjs FILE
import { readFile } from "node:fs/promises";
import validator from "gltf-validator";

const report = await validator.validateBytes(new Uint8Array(await readFile(process.argv[2])));
const { numErrors, numWarnings, messages } = report.issues;
console.log(JSON.stringify({ errors: numErrors, warnings: numWarnings, messages: messages.slice(0, 10) }));
