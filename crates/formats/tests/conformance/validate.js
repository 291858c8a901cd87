// Fails when gltf-validator (Khronos) has anything to say of a file.
const fs = require("fs");
const validator = require("gltf-validator");

(async () => {
  let findings = 0;
  for (const file of process.argv.slice(2)) {
    const report = await validator.validateBytes(new Uint8Array(fs.readFileSync(file)));
    for (const { code, message, pointer, severity } of report.issues.messages) {
      console.error(`${file}: ${severity} ${code} ${message} ${pointer}`);
      findings += 1;
    }
  }
  process.exit(findings > 0 ? 1 : 0);
})();
