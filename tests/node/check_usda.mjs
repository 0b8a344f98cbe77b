// check_usda.mjs FILE: the file as two independent USD parsers read it, as one JSON object:
//   parsed: whether the first (a grammar) takes it, and the attributes with their values and time samples by prim path;
//   layer: the text that the second (a whole USD library) writes back after reading it as a layer.
import { readFileSync } from "node:fs";

const text = readFileSync(process.argv[2], "utf8");
const grammar = await import("@kroxilon/usda-parser/lib/usda-parser.peggy.js");
const parse = grammar.parse ?? grammar.default.parse;
const out = { tree: parse(text) };

process.type = "renderer"; // its loader would look for a browser's ways otherwise
globalThis.window ??= globalThis;
const make = (await import("tinyusdz/tinyusdz.js")).default;
const wasm = readFileSync(new URL("node_modules/tinyusdz/tinyusdz.wasm", import.meta.url));
const native = await make({ wasmBinary: wasm, print: () => {}, printErr: () => {} });
const usd = new native.TinyUSDZLoaderNative();
out.read = usd.loadAsLayerFromBinary(new Uint8Array(readFileSync(process.argv[2])), "layer.usda");
out.layer = out.read ? usd.layerToString() : String(usd.error?.() ?? "");
process.stdout.write(JSON.stringify(out), () => process.exit(0));
