// A part in a canvas: turned, moved, zoomed, cut open, seen through, its faces named, two picks measured.
// `library` is a module with THREE and OrbitControls. Used by saved files and by the page alike.

const VIEWS = {
  iso: [0.62, -1, 0.62], front: [0, -1, 0], back: [0, 1, 0], right: [1, 0, 0], left: [-1, 0, 0],
  top: [0, -1e-4, 1], bottom: [0, -1e-4, -1],
};
const KEYS = { 0: "iso", 1: "front", 2: "back", 3: "right", 4: "left", 5: "top", 6: "bottom" };
const INK = 0x233238, CUT = 0xc9694e, ACCENT = 0xe58c33, PICK = 0x14606b;
const MANY = 30000; // triangles; more are thinned while they move

function bytes(text) {
  const raw = atob(text), found = new Uint8Array(raw.length);
  for (let i = 0; i < raw.length; i++) found[i] = raw.charCodeAt(i);
  return found.buffer;
}

export class PartView {
  constructor(holder, library, events = {}) {
    const { THREE, OrbitControls } = library;
    Object.assign(this, { holder, THREE, events, bodies: [], picks: [], asked: false, moving: false });
    this.renderer = new THREE.WebGLRenderer({ antialias: true, preserveDrawingBuffer: true });
    this.renderer.localClippingEnabled = true;
    this.renderer.setClearColor(0xf6f5f1);
    this.canvas = this.renderer.domElement;
    this.canvas.tabIndex = 0;
    this.canvas.setAttribute("role", "application");
    this.canvas.setAttribute("aria-label", "the part: arrows turn it, + and - zoom, 0 to 6 are standard views, "
      + "n and p go through its faces, Enter picks one");
    holder.append(this.canvas);
    this.scene = new THREE.Scene();
    this.root = new THREE.Group();
    this.marks = new THREE.Group();
    this.scene.add(this.root, this.marks, new THREE.HemisphereLight(0xffffff, 0x9aa0a4, 2.3));
    this.camera = new THREE.OrthographicCamera(-1, 1, 1, -1, -1e4, 1e4);
    this.camera.up.set(0, 0, 1);
    const sun = new THREE.DirectionalLight(0xffffff, 1.5);
    sun.position.set(-0.3, 0.7, 1);
    this.camera.add(sun);
    this.scene.add(this.camera);
    this.controls = new OrbitControls(this.camera, this.canvas);
    this.controls.addEventListener("change", () => this.draw());
    this.controls.addEventListener("start", () => { this.moving = true; });
    this.controls.addEventListener("end", () => { this.moving = false; this.draw(); });
    this.plane = new THREE.Plane(new THREE.Vector3(0, 1, 0), 0);
    this.section = null;
    this.opacity = 1;
    this.listen();
    new ResizeObserver(() => this.resize()).observe(holder);
    this.resize();
  }

  listen() {
    let pressed = null, last = 0;
    this.canvas.addEventListener("pointerdown", (e) => { pressed = [e.clientX, e.clientY]; this.canvas.focus(); });
    this.canvas.addEventListener("pointerup", (e) => {
      const still = pressed && Math.hypot(e.clientX - pressed[0], e.clientY - pressed[1]) < 4;
      pressed = null;
      if (still) this.pick(this.under(e));
    });
    this.canvas.addEventListener("pointermove", (e) => {
      if (pressed || performance.now() - last < 80) return;
      last = performance.now();
      this.hover(this.under(e));
    });
    this.canvas.addEventListener("pointerleave", () => this.hover(null));
    this.canvas.addEventListener("keydown", (e) => { if (this.key(e.key, e.shiftKey)) e.preventDefault(); });
  }

  key(key, shift) {
    const turn = shift ? 0.35 : 0.12;
    if (key in KEYS) this.look(KEYS[key]);
    else if (key === "ArrowLeft") this.turn(-turn, 0);
    else if (key === "ArrowRight") this.turn(turn, 0);
    else if (key === "ArrowUp") this.turn(0, turn);
    else if (key === "ArrowDown") this.turn(0, -turn);
    else if (key === "+" || key === "=") this.zoom(1.15);
    else if (key === "-") this.zoom(1 / 1.15);
    else if (key === "f") this.fit();
    else if (key === "n") this.step(1);
    else if (key === "p") this.step(-1);
    else if (key === "Enter") { if (this.marked) this.pick(this.marked); }
    else if (key === "Escape") this.forget();
    else return false;
    return true;
  }

  resize() {
    const { clientWidth: w, clientHeight: h } = this.holder;
    if (!w || !h) return;
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2));
    this.renderer.setSize(w, h);
    this.frame();
  }

  // ---- the part

  show(model, keepView = true) {
    const { THREE } = this;
    const first = !this.model;
    const old = this.bodies;
    this.forget();
    this.root.clear();
    this.model = model;
    this.bodies = model.bodies.map((body) => this.body(body));
    const [low, high] = model.bounds;
    this.middle = new THREE.Vector3(...low).add(new THREE.Vector3(...high)).multiplyScalar(0.5);
    this.reach = Math.max(new THREE.Vector3(...high).distanceTo(new THREE.Vector3(...low)) / 2, 1e-6);
    this.triangles = model.bodies.reduce((sum, body) => sum + body.count, 0);
    this.materials();
    this.old = [...(this.old || []), ...old];
    if (first || !keepView) this.look("iso"); else this.keepInView(low, high);
    this.notes();
  }

  // What has grown out of the window is followed, unless one has come near to look at a detail.
  keepInView(low, high) {
    this.frame();
    this.camera.updateMatrixWorld();
    const out = [0, 1, 2, 3, 4, 5, 6, 7].some((k) => {
      const corner = [0, 1, 2].map((axis) => (k >> axis & 1 ? high : low)[axis]);
      const { x, y } = new this.THREE.Vector3(...corner).project(this.camera);
      return Math.max(Math.abs(x), Math.abs(y)) > 1;
    });
    if (!out || this.camera.zoom > 1) return;
    const step = this.middle.clone().sub(this.controls.target);
    this.controls.target.add(step);
    this.camera.position.add(step);
    this.controls.update();
    this.frame();
  }

  body(body) {
    const { THREE } = this;
    const geometry = this.triangles_of(body);
    const color = new THREE.Color(body.color);
    const front = new THREE.Mesh(geometry, new THREE.MeshLambertMaterial({
      color, side: THREE.FrontSide, polygonOffset: true, polygonOffsetFactor: 2, polygonOffsetUnits: 2,
    }));
    const inside = new THREE.Mesh(geometry, new THREE.MeshBasicMaterial({ color: CUT, side: THREE.BackSide }));
    const lines = new THREE.BufferGeometry();
    lines.setAttribute("position", new THREE.BufferAttribute(new Float32Array(bytes(body.edges)), 3));
    const edges = new THREE.LineSegments(lines, new THREE.LineBasicMaterial({ color: INK }));
    front.userData.body = body;
    const rough = body.rough ? new THREE.Mesh(this.triangles_of(body.rough), front.material) : null;
    if (rough) this.root.add(rough);
    this.root.add(front, inside, edges);
    return { front, inside, edges, rough, things: [front, inside, edges, ...(rough ? [rough] : [])] };
  }

  triangles_of(body) {
    const { THREE } = this, geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(new Float32Array(bytes(body.positions)), 3));
    geometry.setAttribute("normal", new THREE.BufferAttribute(new Int8Array(bytes(body.normals)), 4, true));
    geometry.setIndex(new THREE.BufferAttribute(new Uint32Array(bytes(body.index)), 1));
    return geometry;
  }

  materials() {
    const planes = this.section ? [this.plane] : [];
    for (const { front, inside, edges } of this.bodies) {
      for (const one of [front, inside, edges]) one.material.clippingPlanes = planes;
      front.material.transparent = this.opacity < 1;
      front.material.opacity = this.opacity;
      front.material.depthWrite = this.opacity >= 1;
      for (const one of [front, inside, edges]) one.material.needsUpdate = true;
    }
    this.draw();
  }

  setOpacity(value) { this.opacity = value; this.materials(); }

  // axis "x", "y", "z" or "" for none; share from 0 to 1 along the part
  setSection(axis, share = 0.5) {
    this.section = axis ? { axis, share } : null;
    if (axis && this.model) {
      const k = "xyz".indexOf(axis), [low, high] = this.model.bounds;
      const towards = this.camera.position.clone().sub(this.controls.target);
      const sign = towards.getComponent(k) >= 0 ? -1 : 1;
      this.plane.normal.set(0, 0, 0).setComponent(k, sign);
      this.plane.constant = -sign * (low[k] + share * (high[k] - low[k]));
    }
    this.materials();
  }

  notes() {
    for (const old of this.holder.querySelectorAll(".lw-note")) old.remove();
    this.labels = (this.model.notes || []).map((note) => {
      const label = document.createElement("div");
      label.className = "lw-note";
      label.textContent = note.text;
      this.holder.append(label);
      return { label, at: new this.THREE.Vector3(...note.at) };
    });
    this.draw();
  }

  // ---- the camera

  look(view) {
    if (!this.model) return;
    const way = new this.THREE.Vector3(...VIEWS[view]).normalize();
    this.controls.target.copy(this.middle);
    this.camera.position.copy(this.middle).addScaledVector(way, 4 * this.reach);
    this.camera.zoom = 1;
    this.frame();
    this.controls.update();
    if (this.section) this.setSection(this.section.axis, this.section.share);
  }

  fit() {
    const way = this.camera.position.clone().sub(this.controls.target).normalize();
    this.controls.target.copy(this.middle);
    this.camera.position.copy(this.middle).addScaledVector(way, 4 * this.reach);
    this.camera.zoom = 1;
    this.frame();
    this.controls.update();
  }

  frame() {
    const { clientWidth: w, clientHeight: h } = this.holder;
    if (!w || !h || !this.model) return;
    const tall = 1.12 * this.reach * Math.max(1, h / w);
    Object.assign(this.camera, { left: -tall * w / h, right: tall * w / h, top: tall, bottom: -tall,
      near: -8 * this.reach, far: 16 * this.reach });
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  turn(around, up) {
    const offset = this.camera.position.clone().sub(this.controls.target);
    const place = new this.THREE.Spherical().setFromVector3(new this.THREE.Vector3(offset.x, offset.z, -offset.y));
    place.theta += around;
    place.phi = Math.min(Math.PI - 1e-3, Math.max(1e-3, place.phi - up));
    const turned = new this.THREE.Vector3().setFromSpherical(place);
    this.camera.position.copy(this.controls.target).add(new this.THREE.Vector3(turned.x, -turned.z, turned.y));
    this.controls.update();
    this.draw();
  }

  zoom(by) { this.camera.zoom *= by; this.camera.updateProjectionMatrix(); this.controls.update(); this.draw(); }

  draw() {
    if (this.asked) return;
    this.asked = true;
    requestAnimationFrame(() => {
      this.asked = false;
      const thin = this.moving && this.triangles > MANY;
      for (const { front, inside, edges, rough } of this.bodies) {
        edges.visible = !thin;
        front.visible = !(thin && rough);
        inside.visible = front.visible && Boolean(this.section) && this.opacity >= 1;
        if (rough) rough.visible = thin;
      }
      const ratio = thin ? 0.5 : Math.min(window.devicePixelRatio, 2);
      if (this.renderer.getPixelRatio() !== ratio) this.renderer.setPixelRatio(ratio);
      this.renderer.render(this.scene, this.camera);
      for (const body of this.old || []) // only now, so that their shaders are taken over
        for (const one of body.things) { one.geometry.dispose(); one.material.dispose(); }
      this.old = [];
      this.drawn = (this.drawn || 0) + 1;
      for (const { label, at } of this.labels || []) {
        const p = at.clone().project(this.camera);
        label.style.left = `${(p.x + 1) / 2 * this.holder.clientWidth + 10}px`;
        label.style.top = `${(1 - p.y) / 2 * this.holder.clientHeight - 10}px`;
      }
    });
  }

  // ---- what is under the pointer

  // a ray between two triangles may miss both: then one beside it is tried
  under(event) {
    if (!this.model) return null;
    return this.cast(event, 0) || this.cast(event, 0.31);
  }

  cast(event, beside) {
    const box = this.canvas.getBoundingClientRect(), { THREE } = this;
    const at = new THREE.Vector2(
      (event.clientX + beside - box.left) / box.width * 2 - 1,
      1 - (event.clientY + 0.7 * beside - box.top) / box.height * 2);
    this.camera.updateMatrixWorld();
    const ray = new THREE.Raycaster();
    ray.setFromCamera(at, this.camera);
    ray.ray.origin.addScaledVector(ray.ray.direction, -8 * this.reach);
    const hits = ray.intersectObjects(this.bodies.map((b) => b.front))
      .filter((hit) => !this.section || this.plane.distanceToPoint(hit.point) >= 0);
    if (!hits.length) return null;
    const body = hits[0].object.userData.body, k = hits[0].faceIndex;
    const face = body.faces.findIndex((f) => k >= f.start && k < f.start + f.count);
    return { body, face, point: hits[0].point, ...body.faces[face] };
  }

  patch(found, color, opacity) {
    const { THREE } = this, mesh = this.bodies[this.model.bodies.indexOf(found.body)].front;
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", mesh.geometry.attributes.position);
    geometry.setIndex(mesh.geometry.index);
    geometry.setDrawRange(3 * found.start, 3 * found.count);
    return new THREE.Mesh(geometry, new THREE.MeshBasicMaterial({
      color, transparent: true, opacity, depthWrite: false, polygonOffset: true, polygonOffsetFactor: -1,
      polygonOffsetUnits: -1, clippingPlanes: this.section ? [this.plane] : [],
    }));
  }

  // The next face, or the one before it, as if the pointer were over it.
  step(by) {
    const all = this.bodies.flatMap(({ front }) => front.userData.body.faces.map((_, face) => [front, face]));
    if (!all.length) return;
    this.place = ((this.place ?? (by > 0 ? -1 : 0)) + by + all.length) % all.length;
    const [front, face] = all[this.place], body = front.userData.body, { start } = body.faces[face];
    const corner = front.geometry.index.getX(3 * start);
    const point = new this.THREE.Vector3().fromBufferAttribute(front.geometry.attributes.position, corner);
    this.hover({ body, face, point, ...body.faces[face] });
  }

  hover(found) {
    const name = found ? `${found.body.name} ${found.face} ${found.name}` : "";
    if (name === this.named) return;
    this.named = name;
    this.marked = found;
    if (this.hovered) this.marks.remove(this.hovered);
    this.hovered = found ? this.patch(found, ACCENT, 0.35) : null;
    if (this.hovered) this.marks.add(this.hovered);
    this.events.hover?.(found && { body: found.body.name, name: found.name, kind: found.kind, area: found.area });
    this.draw();
  }

  pick(found) {
    if (!found) return this.forget();
    if (this.picks.length === 2) this.forget();
    const mark = this.patch(found, PICK, 0.45);
    this.marks.add(mark);
    this.picks.push({ body: found.body.name, face: found.face, name: found.name, kind: found.kind,
      area: found.area, point: found.point.toArray(), mark });
    this.events.pick?.(this.picks.map(({ mark: _, ...rest }) => rest));
    this.draw();
  }

  forget() {
    for (const { mark } of this.picks) this.marks.remove(mark);
    this.picks = [];
    if (this.hovered) this.marks.remove(this.hovered);
    this.hovered = this.marked = null;
    this.named = "";
    this.events.hover?.(null);
    this.events.pick?.([]);
    this.draw();
  }
}
