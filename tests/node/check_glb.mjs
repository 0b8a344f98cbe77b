// check_glb.mjs FILE…: what the glTF validator says of each file, as one JSON list.
import { readFileSync } from "node:fs";
import validator from "gltf-validator";

const out = [];
for (const file of process.argv.slice(2)) {
    const report = await validator.validateBytes(new Uint8Array(readFileSync(file)));
    out.push({
        errors: report.issues.numErrors,
        warnings: report.issues.numWarnings,
        messages: report.issues.messages.filter((m) => m.severity < 2).map((m) => `${m.code} at ${m.pointer}: ${m.message}`),
        animations: report.info.animationCount,
        draws: report.info.drawCallCount,
        vertices: report.info.totalVertexCount,
        triangles: report.info.totalTriangleCount,
    });
}
console.log(JSON.stringify(out));
