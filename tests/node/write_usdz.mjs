// write_usdz.mjs OUT.usdz COUNT: a package with COUNT lamps as an independent writer (three's USDZ exporter) makes it. Each
// lamp has a material with several pictures. Prints as JSON which picture the base colour of each material has, by the
// texture it was given.
import { writeFileSync } from "node:fs";
import * as THREE from "three";
import { USDZExporter } from "three/examples/jsm/exporters/USDZExporter.js";

// The exporter draws its pictures on a canvas: one that knows only a single pixel.
const pixel = Buffer.from("iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==", "base64");
globalThis.OffscreenCanvas = class {
  constructor() { this.width = this.height = 1; }
};
globalThis.document = {
  createElement: () => ({
    getContext: () => ({ translate() {}, scale() {}, drawImage() {} }),
    toBlob: (done) => done(new Blob([pixel])),
  }),
};

const [out, count] = [process.argv[2], Number(process.argv[3])];
const scene = new THREE.Scene();
const picture = () => {
  const t = new THREE.Texture(new OffscreenCanvas());
  t.colorSpace = THREE.SRGBColorSpace; // all of them, so that this does not say which is the base colour's
  return t;
};
const wanted = {};
for (let i = 0; i < count; ++i) {
  const material = new THREE.MeshStandardMaterial({
    emissiveMap: picture(), normalMap: picture(), roughnessMap: picture(), emissive: 0xffffff,
  });
  if (i % 4 !== 3) material.map = picture(); // every fourth has a plain base colour
  const lamp = new THREE.Mesh(new THREE.BoxGeometry(1, 1, 1), material);
  lamp.name = "lamp" + i;
  lamp.position.x = 2 * i;
  scene.add(lamp);
  if (material.map) wanted["Material_" + material.id] = "Texture_" + material.map.id;
}
const bytes = await new USDZExporter().parseAsync(scene, { includeAnchoringProperties: false });
writeFileSync(out, bytes);
process.stdout.write(JSON.stringify(wanted));
