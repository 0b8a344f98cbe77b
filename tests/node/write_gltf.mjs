// glTF files by an independent writer (glTF-Transform, with the encoders of Draco and meshoptimizer).
//   node write_gltf.mjs FOLDER     prints what they hold, as JSON
import { Document, Logger, NodeIO } from '@gltf-transform/core';
import { ALL_EXTENSIONS, EXTMeshoptCompression, EXTMeshGPUInstancing, KHRDracoMeshCompression, KHRMeshQuantization, KHRNodeVisibility, KHRMaterialsUnlit } from '@gltf-transform/extensions';
import { quantize, reorder } from '@gltf-transform/functions';
import draco3d from 'draco3dgltf';
import { MeshoptDecoder, MeshoptEncoder } from 'meshoptimizer';
import path from 'node:path';
import zlib from 'node:zlib';

const folder = process.argv[2];
await MeshoptEncoder.ready;
const io = new NodeIO().registerExtensions(ALL_EXTENSIONS).registerDependencies({
  'draco3d.decoder': await draco3d.createDecoderModule(),
  'draco3d.encoder': await draco3d.createEncoderModule(),
  'meshopt.decoder': MeshoptDecoder,
  'meshopt.encoder': MeshoptEncoder,
});

// A rippling sheet of side × side points: the same numbers on every machine.
function sheet(document, side, buffer) {
  const points = new Float32Array(side * side * 3), normals = new Float32Array(side * side * 3), uvs = new Float32Array(side * side * 2), heat = new Float32Array(side * side);
  for (let j = 0; j < side; ++j) for (let i = 0; i < side; ++i) {
    const k = j * side + i, x = i / (side - 1), z = j / (side - 1);
    points.set([x, 0.125 * x * x + 0.25 * z, z], k * 3);
    const l = Math.hypot(0.25 * x, 1, 0.25);
    normals.set([-0.25 * x / l, 1 / l, -0.25 / l], k * 3);
    uvs.set([x, z], k * 2);
    heat[k] = k % 97;
  }
  const corners = new Uint32Array((side - 1) * (side - 1) * 6);
  let c = 0;
  for (let j = 0; j + 1 < side; ++j) for (let i = 0; i + 1 < side; ++i) {
    const a = j * side + i;
    corners.set([a, a + side, a + 1, a + 1, a + side, a + side + 1], c);
    c += 6;
  }
  const accessor = (type, array) => document.createAccessor().setType(type).setArray(array).setBuffer(buffer);
  const primitive = document.createPrimitive().setIndices(accessor('SCALAR', corners)).setAttribute('POSITION', accessor('VEC3', points))
    .setAttribute('NORMAL', accessor('VEC3', normals)).setAttribute('TEXCOORD_0', accessor('VEC2', uvs)).setAttribute('_HEAT', accessor('SCALAR', heat));
  return document.createMesh('cloth').addPrimitive(primitive);
}

function turning(document, buffer, node, name, degrees, seconds) {
  const times = new Float32Array(seconds.length), turns = new Float32Array(seconds.length * 4);
  seconds.forEach((t, i) => {
    times[i] = t;
    const half = degrees[i] * Math.PI / 360;
    turns.set([0, Math.sin(half), 0, Math.cos(half)], i * 4);
  });
  const accessor = (type, array) => document.createAccessor().setType(type).setArray(array).setBuffer(buffer);
  const sampler = document.createAnimationSampler().setInput(accessor('SCALAR', times)).setOutput(accessor('VEC4', turns));
  const channel = document.createAnimationChannel().setTargetNode(node).setTargetPath('rotation').setSampler(sampler);
  document.createAnimation(name).addSampler(sampler).addChannel(channel);
}

function base(side) {
  const document = new Document().setLogger(new Logger(Logger.Verbosity.SILENT)), buffer = document.createBuffer();
  const mesh = sheet(document, side, buffer);
  const node = document.createNode('flag').setMesh(mesh).setTranslation([1, 2, 3]);
  const scene = document.createScene().addChild(node);
  return { document, buffer, mesh, node, scene };
}

const side = 400;
const write = async (name, make) => {
  const all = base(side);
  await make(all);
  await io.write(path.join(folder, name), all.document);
};

await write('plain.glb', () => {});
await write('draco.glb', ({ document }) => {
  document.createExtension(KHRDracoMeshCompression).setRequired(true).setEncoderOptions({ method: KHRDracoMeshCompression.EncoderMethod.EDGEBREAKER, quantizationBits: { POSITION: 20, NORMAL: 16, TEX_COORD: 16, GENERIC: 16 } });
});
await write('draco_in_order.glb', ({ document }) => {
  document.createExtension(KHRDracoMeshCompression).setRequired(true).setEncoderOptions({ method: KHRDracoMeshCompression.EncoderMethod.SEQUENTIAL, quantizationBits: { POSITION: 20, NORMAL: 16, TEX_COORD: 16, GENERIC: 16 } });
});
await write('meshopt.glb', async ({ document }) => {
  await document.transform(reorder({ encoder: MeshoptEncoder }));
  document.createExtension(EXTMeshoptCompression).setRequired(true).setEncoderOptions({ method: EXTMeshoptCompression.EncoderMethod.QUANTIZE });
});
await write('meshopt_filtered.glb', async ({ document, buffer, node }) => {
  turning(document, buffer, node, 'sway', [0, 90, 180], [0, 1, 2]);
  await document.transform(reorder({ encoder: MeshoptEncoder }), quantize({ pattern: /^(POSITION|TEXCOORD|NORMAL)(_\d+)?$/, quantizePosition: 16, quantizeNormal: 12, quantizeTexcoord: 16 }));
  document.createExtension(EXTMeshoptCompression).setRequired(true).setEncoderOptions({ method: EXTMeshoptCompression.EncoderMethod.FILTER });
});
await write('quantized.gltf', async ({ document }) => {
  await document.transform(quantize({ quantizePosition: 16, quantizeNormal: 12, quantizeTexcoord: 16 }));
});
await write('instances.glb', ({ document, buffer, node }) => {
  const extension = document.createExtension(EXTMeshGPUInstancing).setRequired(true);
  const accessor = (type, array) => document.createAccessor().setType(type).setArray(array).setBuffer(buffer);
  node.setExtension('EXT_mesh_gpu_instancing', extension.createInstancedMesh()
    .setAttribute('TRANSLATION', accessor('VEC3', new Float32Array([0, 0, 0, 10, 0, 0, 0, 20, 0])))
    .setAttribute('ROTATION', accessor('VEC4', new Float32Array([0, 0, 0, 1, 0, Math.SQRT1_2, 0, Math.SQRT1_2, 0, 0, 0, 1])))
    .setAttribute('SCALE', accessor('VEC3', new Float32Array([1, 1, 1, 1, 1, 1, 2, 3, 4]))));
});
await write('hidden.glb', ({ document, scene, mesh }) => {
  const extension = document.createExtension(KHRNodeVisibility);
  const above = document.createNode('store').setExtension('KHR_node_visibility', extension.createVisibility().setVisible(false));
  above.addChild(document.createNode('inside').setMesh(mesh));
  scene.addChild(above);
});
await write('look.glb', ({ document, mesh }) => {
  const unlit = document.createExtension(KHRMaterialsUnlit).setRequired(true);
  mesh.listPrimitives()[0].setMaterial(document.createMaterial('red paper').setBaseColorFactor([0.75, 0.25, 0.125, 1]).setExtension('KHR_materials_unlit', unlit.createUnlit()));
});
// A PNG of side × side texels (ISO/IEC 15948): red and blue by turns, a quarter of them clear and green.
function png(side) {
  const chunk = (type, body) => {
    const all = Buffer.concat([Buffer.from(type, 'latin1'), body]), out = Buffer.alloc(all.length + 8);
    out.writeUInt32BE(body.length, 0);
    all.copy(out, 4);
    out.writeUInt32BE(zlib.crc32 ? zlib.crc32(all) : crc(all), all.length + 4);
    return out;
  };
  const crc = (bytes) => {
    let c = 0xffffffff;
    for (const b of bytes) {
      c ^= b;
      for (let k = 0; k < 8; ++k) c = c & 1 ? (c >>> 1) ^ 0xedb88320 : c >>> 1;
    }
    return (c ^ 0xffffffff) >>> 0;
  };
  const head = Buffer.alloc(13), rows = Buffer.alloc(side * (side * 4 + 1));
  head.writeUInt32BE(side, 0);
  head.writeUInt32BE(side, 4);
  head.set([8, 6, 0, 0, 0], 8);
  for (let j = 0; j < side; ++j) for (let i = 0; i < side; ++i) {
    const clear = i % 2 === 0 && j % 2 === 0, at = j * (side * 4 + 1) + 1 + i * 4;
    rows.set(clear ? [0, 255, 0, 0] : (i + (j >> 1)) % 2 ? [255, 0, 0, 255] : [0, 0, 255, 255], at);
  }
  return Buffer.concat([Buffer.from([137, 80, 78, 71, 13, 10, 26, 10]), chunk('IHDR', head), chunk('IDAT', zlib.deflateSync(rows)), chunk('IEND', Buffer.alloc(0))]);
}
const painted = ({ document, mesh }) => {
  const picture = document.createTexture('paper').setImage(png(1024)).setMimeType('image/png').setURI('paper.png');
  mesh.listPrimitives()[0].setMaterial(document.createMaterial('painted paper').setAlphaMode('MASK').setBaseColorFactor([0.5, 1, 1, 1]).setBaseColorTexture(picture));
};
await write('picture.glb', painted);
await write('picture.gltf', painted);
await write('two_of_one.glb', ({ document, buffer, node }) => {
  turning(document, buffer, node, 'sway', [0, 90], [0, 1]);
  turning(document, buffer, node, 'gust', [0, -45, 30], [0, 1, 4]);
});
await write('two_apart.glb', ({ document, buffer, node, scene, mesh }) => {
  const other = document.createNode('other').setMesh(mesh).setTranslation([50, 0, 0]);
  scene.addChild(other);
  turning(document, buffer, node, 'first', [0, 90], [0, 1]);
  turning(document, buffer, other, 'second', [0, 90], [0, 2]);
});
console.log(JSON.stringify({ side }));
