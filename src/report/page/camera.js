"use strict";
// Turning, moving and zooming, by mouse, touch and keys; flights from view to view.

class Camera {
  constructor(canvas, changed) {
    this.canvas = canvas;
    this.changed = changed;
    this.target = new THREE.Vector3();
    this.turn = new THREE.Quaternion();
    this.distance = 1;
    this.reach = 1;  // radius of everything that can be seen
    this.lens = new THREE.PerspectiveCamera(28, 1, 0.1, 10);
    this.flight = null;
    this.covered = 0;       // pixels at the right
    this.coveredBelow = 0;  // and at the bottom
    this.pointers = new Map();
    this.click = () => {};
    this.listen();
  }

  view(direction, up) {
    const m = new THREE.Matrix4().lookAt(direction, new THREE.Vector3(), up);
    this.turn.setFromRotationMatrix(m);
  }

  // Called before each drawing.
  update(width, height, now) {
    if (this.flight) {
      const f = this.flight;
      const s = Math.min(1, (now - f.start) / f.lasts);
      const ease = s * s * (3 - 2 * s);
      this.target.lerpVectors(f.from.target, f.to.target, ease);
      if (f.to.turn) THREE.Quaternion.slerp(f.from.turn, f.to.turn, this.turn, ease);
      this.distance = Math.exp((1 - ease) * Math.log(f.from.distance) + ease * Math.log(f.to.distance));
      if (s >= 1) this.flight = null; else this.changed();
    }
    const c = this.lens;
    c.aspect = width / height;
    c.quaternion.copy(this.turn);
    const back = new THREE.Vector3(0, 0, 1).applyQuaternion(this.turn);
    c.position.copy(this.target).addScaledVector(back, this.distance);
    // Near and far follow what there is: depth stays fine in close-ups.
    const far = c.position.length() + 1.05 * this.reach;
    const near = Math.max(far / 20000, Math.min(this.distance / 50, c.position.length() - 1.05 * this.reach));
    c.near = Math.max(near, this.distance / 500);
    c.far = Math.max(far, c.near * 2);
    // What covers the right or the bottom of the view does not cover what is looked at.
    c.setViewOffset(width, height, this.covered / 2, this.coveredBelow / 2, width, height);
    c.updateProjectionMatrix();
    c.updateMatrixWorld();
    c.matrixWorldInverse.getInverse(c.matrixWorld);
  }

  // How far away a ball of this radius fills most of the view.
  distanceFor(radius) {
    const half = (this.lens.fov * Math.PI) / 360;
    const above = 1 - this.coveredBelow / Math.max(this.canvas.clientHeight, 1);
    const free = (1 - this.covered / Math.max(this.canvas.clientWidth, 1)) * this.lens.aspect;
    return (1.35 * radius) / Math.sin(half) / Math.min(above, Math.max(free, 0.4));
  }

  // `facing`: what is seen from there, if it cannot be seen from here.
  flyTo(center, radius, at_once, facing) {
    const to = { target: center.clone(), distance: this.distanceFor(Math.max(radius, this.reach * 1e-6)) };
    const back = new THREE.Vector3(0, 0, 1).applyQuaternion(this.turn);
    if (facing && back.dot(facing) < 0.35) {
      // Not straight on: a slanted look tells more.
      const eye = facing.clone().multiplyScalar(2).add(back.clone().sub(facing.clone().multiplyScalar(back.dot(facing))));
      const up = Math.abs(eye.z) > 0.95 * eye.length() ? new THREE.Vector3(0, 1, 0) : new THREE.Vector3(0, 0, 1);
      to.turn = new THREE.Quaternion().setFromRotationMatrix(
        new THREE.Matrix4().lookAt(eye, new THREE.Vector3(), up));
    }
    const still = at_once || window.matchMedia("(prefers-reduced-motion: reduce)").matches;
    if (still) {
      this.flight = null;
      this.target.copy(to.target);
      if (to.turn) this.turn.copy(to.turn);
      this.distance = to.distance;
    } else {
      this.flight = { from: { target: this.target.clone(), turn: this.turn.clone(), distance: this.distance }, to,
                      start: performance.now(), lasts: 450 };
    }
    this.changed();
  }

  // Length in the model of a pixel at the target.
  pixel(height) {
    return (2 * this.distance * Math.tan((this.lens.fov * Math.PI) / 360)) / height;
  }

  rotate(dx, dy) {
    const speed = 0.008;
    const about = new THREE.Quaternion().setFromEuler(new THREE.Euler(-dy * speed, -dx * speed, 0, "YXZ"));
    this.turn.multiply(about).normalize();
    this.changed();
  }
  pan(dx, dy) {
    const size = this.pixel(this.canvas.clientHeight);
    const move = new THREE.Vector3(-dx * size, dy * size, 0).applyQuaternion(this.turn);
    this.target.add(move);
    this.changed();
  }
  zoom(factor, x, y) {
    // What is under the pointer stays there.
    const size = this.pixel(this.canvas.clientHeight);
    const move = new THREE.Vector3((x - this.canvas.clientWidth / 2) * size,
                                   (this.canvas.clientHeight / 2 - y) * size, 0);
    const before = this.distance;
    this.distance = Math.min(Math.max(before * factor, this.reach * 1e-6), this.reach * 40);
    this.target.addScaledVector(move.applyQuaternion(this.turn), 1 - this.distance / before);
    this.changed();
  }

  listen() {
    const c = this.canvas;
    let moved = 0;
    c.addEventListener("contextmenu", (e) => e.preventDefault());
    c.addEventListener("pointerdown", (e) => {
      c.setPointerCapture(e.pointerId);
      this.pointers.set(e.pointerId, { x: e.offsetX, y: e.offsetY });
      this.flight = null;
      if (this.pointers.size === 1) moved = 0;
    });
    c.addEventListener("pointermove", (e) => {
      const last = this.pointers.get(e.pointerId);
      if (!last) return;
      const dx = e.offsetX - last.x, dy = e.offsetY - last.y;
      moved += Math.abs(dx) + Math.abs(dy);
      if (this.pointers.size === 2) {
        const [other] = [...this.pointers].filter(([id]) => id !== e.pointerId).map(([, p]) => p);
        const before = Math.hypot(last.x - other.x, last.y - other.y);
        const after = Math.hypot(e.offsetX - other.x, e.offsetY - other.y);
        this.pan(dx / 2, dy / 2);
        if (before > 0 && after > 0) {
          this.zoom(before / after, (e.offsetX + other.x) / 2, (e.offsetY + other.y) / 2);
        }
      } else if (e.buttons & 6 || e.shiftKey) {
        this.pan(dx, dy);
      } else {
        this.rotate(dx, dy);
      }
      last.x = e.offsetX;
      last.y = e.offsetY;
    });
    const release = (e) => {
      if (this.pointers.delete(e.pointerId) && this.pointers.size === 0 && moved < 5 &&
          e.type === "pointerup" && e.button === 0) {
        this.click(e.offsetX, e.offsetY);
      }
    };
    c.addEventListener("pointerup", release);
    c.addEventListener("pointercancel", release);
    c.addEventListener("wheel", (e) => {
      e.preventDefault();
      this.flight = null;
      this.zoom(Math.exp(Math.sign(e.deltaY) * Math.min(Math.abs(e.deltaY), 120) * 0.0016), e.offsetX, e.offsetY);
    }, { passive: false });
  }
}
