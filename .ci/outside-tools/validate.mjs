// Fails when the Khronos validator finds an error or a warning.
import { readFileSync } from 'node:fs';
import validator from 'gltf-validator';

let bad = 0;
for (const file of process.argv.slice(2)) {
  const report = await validator.validateBytes(new Uint8Array(readFileSync(file)), { maxIssues: 0 });
  const { numErrors, numWarnings, numInfos } = report.issues;
  console.log(`${file}: ${numErrors} errors, ${numWarnings} warnings, ${numInfos} notes`);
  if (numErrors + numWarnings > 0) {
    bad += 1;
    for (const issue of report.issues.messages.filter((one) => one.severity < 2).slice(0, 5)) {
      console.log(`  ${issue.code} ${issue.pointer}: ${issue.message}`);
    }
  }
}
process.exit(bad > 0 ? 1 : 0);
