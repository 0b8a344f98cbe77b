// read_crate.mjs FILE.usdc OUT.usda: a binary layer as two independent USD readers find it. The first (three) is told as
// JSON: by path of each attribute its type, its value, and its samples, every value as one flat list. What the second
// (tinyusdz) finds is written to OUT as text.
import { readFileSync, writeFileSync } from "node:fs";
import { USDCParser } from "three/examples/jsm/loaders/usd/USDCParser.js";

const [file, out] = process.argv.slice(2);
const bytes = readFileSync(file);
const flat = (v) => {
  if (v === null || v === undefined) return null;
  if (typeof v === "bigint") return [Number(v)];
  if (typeof v !== "object") return [v];
  return Array.from(v.length === undefined ? Object.values(v) : v).flatMap(flat);
};
const found = {};
const specs = new USDCParser().parseData(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length)).specsByPath;
for (const [path, { fields }] of Object.entries(specs)) {
  if (!path.includes(".")) continue;
  const one = { type: fields.typeName ?? "rel" };
  if (fields.default !== undefined) one.value = flat(fields.default);
  if (fields.timeSamples) one.samples = fields.timeSamples.values.map(flat), one.times = flat(fields.timeSamples.times);
  found[path] = one;
}

process.type = "renderer"; // its loader would look for a browser's ways otherwise
globalThis.window ??= globalThis;
const make = (await import("tinyusdz/tinyusdz.js")).default;
const wasm = readFileSync(new URL("node_modules/tinyusdz/tinyusdz.wasm", import.meta.url));
const native = await make({ wasmBinary: wasm, print: () => {}, printErr: () => {} });
const usd = new native.TinyUSDZLoaderNative();
const read = usd.loadAsLayerFromBinary(new Uint8Array(bytes), "layer.usdc");
if (read) writeFileSync(out, usd.layerToString());
process.stdout.write(JSON.stringify({ found, read, error: read ? "" : String(usd.error?.() ?? "") }), () => process.exit(0));
