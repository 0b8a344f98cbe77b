// Asks the reference USD library (0.22, built to wasm inside the npm package three-usdz-loader 1.0.9) about a file.
//   node usd_points.cjs points FILE T1,T2,… [OTHER FILES…]   posed points of every mesh, as JSON
//   node usd_points.cjs convert FILE OUT    [OTHER FILES…]   OUT ends in .usda or .usdc; composition is flattened
//   node usd_points.cjs corpus FOLDER NAME=T1,T2,… NAME>OUT …   the same for many files of a folder, in one go
// Files that FILE refers to are given as OTHER FILES; all lie in one folder inside the library.
const fs = require('fs'), path = require('path');
const { isMainThread } = require('worker_threads');
delete globalThis.fetch;                       // the package was made for browsers: give it what it looks for
globalThis.location = { pathname: '/' };
globalThis.XMLHttpRequest = class {
  open(_, url) { this.url = url; }
  send() {
    setImmediate(() => {
      try {
        const bytes = fs.readFileSync(this.url);
        this.status = 200;
        this.response = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length);
        this.onload && this.onload();
      } catch (e) { this.onerror && this.onerror(e); }
    });
  }
};

async function main() {
  let [verb, file, arg, ...others] = process.argv.slice(2);
  const folder = verb === 'corpus' ? path.resolve(file) : null, jobs = folder ? [arg, ...others] : [];
  if (folder) [arg, file, ...others] = [null, ...fs.readdirSync(folder).sort().map((f) => path.join(folder, f))];
  [file, ...others] = [file, ...others].map((f) => path.resolve(f));
  const out = verb === 'convert' ? path.resolve(arg) : null;
  const bindings = path.resolve(__dirname, 'node_modules', 'three-usdz-loader', 'external');
  process.chdir(bindings);
  const said = [];
  const usd = await require(path.join(bindings, 'emHdBindings.js'))({ print: (s) => said.push(s), printErr: (s) => said.push(s) }, bindings);
  for (const f of [file, ...others]) usd.FS.createDataFile('/', path.basename(f), new Uint8Array(fs.readFileSync(f)), true, true, true);
  const name = path.basename(file);
  const convert = (from, to) => {
    const inside = '/tmp/' + path.basename(to); // a folder of the library's own, in memory
    usd.UsdStage.Open('/' + from).Export(inside, false);
    fs.writeFileSync(to, usd.FS.readFile(inside));
  };
  const at = ([x, y, z], m) => m ? [0, 1, 2].map((k) => x * m[k] + y * m[4 + k] + z * m[8 + k] + m[12 + k]) : [x, y, z];
  const look = (from, times) => {
    const meshes = {};
    class Mesh {
      constructor(id) { this.id = id; meshes[id] = this; }
      updatePoints(a) { this.points = Array.from(a); }
      updateIndices(a) { this.triangles = a.length / 3; this.indices = Array.from(a); }
      setTransform(a) { this.m = Array.from(a); }
      updatePrimvar(name, a, width, spread) { if (name === 'normals' && spread === 'facevarying') this.normals = Array.from(a); }
      updateNormals() {} setMaterial() {} setDisplayColor() {} setGeomSubsetMaterial() {} updateUVs() {}
    }
    const driver = new usd.HdWebSyncDriver({
      createRPrim: (_, id) => new Mesh(id), createBPrim: () => ({}), createSPrim: () => ({ updateNode() {}, updateFinished() {} }), CommitResources() {},
    }, from);
    return times.split(',').map((t) => {
      driver.SetTime(Number(t));
      driver.Draw();
      return { time: Number(t), meshes: Object.values(meshes).filter((m) => m.points).map((m) => {
        const points = [];
        for (let i = 0; i < m.points.length; i += 3) points.push(at(m.points.slice(i, i + 3), m.m));
        // Normals of corners, where the file has those: one for each corner of each triangle.
        const corners = m.normals ? { indices: m.indices, normals: m.normals } : {};
        return { path: m.id, points, triangles: m.triangles, ...corners };
      }) };
    });
  };
  const print = (answer) => new Promise((done) => process.stdout.write(JSON.stringify(answer), done)); // an exit would cut it short
  if (verb === 'convert') {
    convert(name, out);
  } else if (verb === 'points') {
    await print(look(name, arg));
  } else if (verb === 'corpus') {
    const answer = {};
    for (const job of jobs) {
      const [from, to] = job.split(/[>=]/);
      if (job.includes('>')) convert(from, path.join(folder, to)); else answer[from] = look(from, to);
    }
    await print(answer);
  } else {
    throw new Error('points, convert or corpus?');
  }
  const worth = said.filter((s) => !/Failed to find plugin for schema type/.test(s));
  if (worth.length) process.stderr.write(worth.join('\n').slice(0, 2000) + '\n');
  process.exit(0);
}
// The library starts workers, which need what was given above as well: so this file is loaded ahead in each of them.
if (isMainThread) {
  if (process.execArgv.includes(__filename)) setImmediate(() => main().catch((e) => { console.error(e.message || e); process.exit(1); }));
  else process.exit(require('child_process').spawnSync(process.execPath, ['-r', __filename, __filename, ...process.argv.slice(2)], { stdio: 'inherit', timeout: 120000 }).status ?? 1);
}
