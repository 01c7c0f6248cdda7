// What the validator says of each file: a line of JSON with its errors and warnings.
const validator = require("gltf-validator"), fs = require("fs"), path = require("path");

async function main() {
  for (const file of process.argv.slice(2)) {
    const near = (uri) => Promise.resolve(new Uint8Array(fs.readFileSync(path.resolve(path.dirname(file), decodeURIComponent(uri)))));
    const found = await validator.validateBytes(new Uint8Array(fs.readFileSync(file)), {uri: path.basename(file), externalResourceFunction: near});
    const told = found.issues.messages.filter((one) => one.severity < 2).map((one) => `${one.code} ${one.pointer || ""}: ${one.message}`);
    console.log(JSON.stringify({file, errors: found.issues.numErrors, told}));
  }
}

main();
