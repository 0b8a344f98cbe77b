// play_glb.mjs FILE T1,T2,…: every mesh of the file as an independent glTF player shows it at these seconds, as JSON:
//   [{time, meshes: [{name, points: [x, y, z, …]}]}]
import { readFileSync } from "node:fs";
import { AnimationMixer, LoopOnce, Vector3 } from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";

globalThis.self ??= globalThis;
globalThis.ProgressEvent ??= class {};
const bytes = readFileSync(process.argv[2]);
const data = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length);
const gltf = await new Promise((done, failed) => new GLTFLoader().parse(data, "", done, failed));
const mixer = new AnimationMixer(gltf.scene);
for (const clip of gltf.animations) {
  const action = mixer.clipAction(clip).setLoop(LoopOnce);
  action.clampWhenFinished = true;
  action.play();
}
const at = new Vector3();
const answer = process.argv[3].split(",").map((word) => {
  const time = Number(word);
  mixer.setTime(time);
  gltf.scene.updateMatrixWorld(true);
  const meshes = [];
  gltf.scene.traverse((object) => {
    if (!object.isMesh) return;
    const points = [];
    const count = object.geometry.attributes.position.count;
    for (let i = 0; i < count; ++i) {
      object.getVertexPosition(i, at).applyMatrix4(object.matrixWorld);
      points.push(at.x, at.y, at.z);
    }
    meshes.push({ name: object.name, parent: object.parent?.name ?? "", points });
  });
  return { time, meshes };
});
process.stdout.write(JSON.stringify(answer), () => process.exit(0));
