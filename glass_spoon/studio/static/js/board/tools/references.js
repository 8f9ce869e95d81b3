/** Reference pictures under the drawing views: dropped, dragged, set to scale and levelled by two places. */
import { svgElement } from "../views/drawing_view.js";

const TYPES = ["image/png", "image/jpeg", "image/webp", "image/svg+xml"];
const NEW_SHARE = 0.8;

export class References {
  constructor(board, edits) {
    this.board = board;
    this.edits = edits;
    this.sizes = new Map();
    this.drag = null;
    this.task = null;
  }

  connect() {
    for (const view of this.board.drawings) {
      const element = view.svg.closest(".view");
      view.svg.addEventListener("pointerdown", (event) => this.onDown(event, view), true);
      view.svg.addEventListener("pointermove", (event) => this.onMove(event, view));
      view.svg.addEventListener("pointerup", () => this.onUp());
      view.svg.addEventListener("pointercancel", () => this.onUp());
      element.addEventListener("dragover", (event) => {
        if (![...event.dataTransfer.items].some((item) => item.kind === "file")) return;
        event.preventDefault();
        element.classList.add("is-drop-target");
      });
      element.addEventListener("dragleave", () => element.classList.remove("is-drop-target"));
      element.addEventListener("drop", (event) => {
        event.preventDefault();
        element.classList.remove("is-drop-target");
        const file = event.dataTransfer.files[0];
        if (file) this.lay(file, view, view.fromEvent(event));
      });
    }
    this.board.root.addEventListener("click", (event) => {
      const button = event.target.closest("[data-picture-task]");
      if (button) this.begin(button.dataset.pictureLine, button.dataset.pictureTask);
    });
  }

  /** Take a file in and lay it under a view. @param {File} file */
  async lay(file, view, [right, up]) {
    const picture = await this.takeIn(file);
    if (!picture) return;
    const width = Math.max(1, Math.round((view.svg.clientWidth / view.space.zoom) * NEW_SHARE));
    await this.edits.change({ op: "lay", values: JSON.stringify({ picture: String(picture.id), plane: view.plane, width: `${width} mm`, right: `${round(right)} mm`, up: `${round(up)} mm` }) });
    const line = [...this.board.root.querySelectorAll(".line[data-verb=lay]")].at(-1)?.dataset.line;
    this.board.note("Drag the picture into place, then set its scale.", line ? [["Set the scale", () => this.begin(line, "scale")]] : []);
  }

  /** @returns {Promise<?{id: number}>} the picture as the project keeps it */
  async takeIn(file) {
    if (!this.edits.mayEdit) return null;
    if (!TYPES.includes(file.type)) {
      this.board.note("Drop a PNG, JPEG, WebP or SVG picture; curves of SVG and DXF files come in by an import line.");
      return null;
    }
    const form = new FormData();
    form.set("file", file);
    this.board.note("Taking the picture in…");
    try {
      const answer = await this.edits.session.ask(this.board.root.dataset.picturesUrl, { method: "POST", body: form });
      const told = await answer.json();
      this.board.note(answer.ok ? "" : told.sentence);
      return answer.ok ? told : null;
    } catch {
      this.board.note("The server does not answer. The picture was not taken in.");
      return null;
    }
  }

  /** Start setting the scale, or levelling, by two places. */
  begin(line, task) {
    const picture = this.board.extras.pictures?.find((other) => other.line === line);
    if (!picture) {
      this.board.note("Show the picture first.");
      return;
    }
    this.task = { line, kind: task, places: [] };
    this.board.element.classList.add("is-measuring");
    this.board.note(task === "scale" ? `Click two places in the ${picture.plane} view whose distance you know.` : `Click two places in the ${picture.plane} view that should lie level or upright.`);
  }

  end() {
    this.task = null;
    this.board.element.classList.remove("is-measuring");
    this.board.drawings.forEach((view) => view.layers.measure.replaceChildren());
  }

  at(view, place) {
    return (this.board.extras.pictures ?? []).filter((picture) => picture.plane === view.plane && !picture.locked && this.covers(picture, place)).at(-1);
  }

  covers(picture, place) {
    const size = this.sizes.get(picture.picture);
    if (!size) return false;
    const [x, y] = turned([place[0] - picture.right, place[1] - picture.up], -picture.turn);
    return Math.abs(x) <= picture.width / 2 && Math.abs(y) <= (picture.width * size.height) / size.width / 2;
  }

  onDown(event, view) {
    if (event.button !== 0 || this.board.measure.on) return;
    const place = view.fromEvent(event);
    if (this.task) {
      event.stopImmediatePropagation();
      this.addPlace(view, place);
      return;
    }
    if (!this.edits.mayEdit || this.board.pen.isPlacing(view.plane) || event.shiftKey || event.target.closest(".handle, [data-curve]")) return;
    const picture = this.at(view, place);
    if (!picture) return;
    event.stopImmediatePropagation();
    view.svg.setPointerCapture(event.pointerId);
    this.drag = { view, picture, start: place, moved: false };
  }

  onMove(event, view) {
    if (!this.drag || this.drag.view !== view) return;
    const place = view.fromEvent(event);
    const { picture, start } = this.drag;
    this.drag.moved = true;
    this.drag.to = [picture.right + place[0] - start[0], picture.up + place[1] - start[1]];
    this.draw(view);
  }

  onUp() {
    const drag = this.drag;
    this.drag = null;
    if (!drag?.moved) return;
    [drag.picture.right, drag.picture.up] = drag.to;
    this.set(drag.picture.line, { right: drag.to[0], up: drag.to[1] });
  }

  set(line, values) {
    const texts = Object.fromEntries(Object.entries(values).map(([name, value]) => [name, name === "turn" ? `${round(value)}°` : `${round(value)} mm`]));
    return this.edits.change({ op: "set_many", line, values: JSON.stringify(texts) });
  }

  addPlace(view, place) {
    const { places, line, kind } = this.task;
    const picture = this.board.extras.pictures.find((other) => other.line === line);
    if (!picture || picture.plane !== view.plane) return;
    places.push(place);
    const screen = places.map((point) => view.toScreen(...point));
    const parts = screen.map(([x, y]) => svgElement("path", { class: "measure-line", d: `M${x - 6} ${y}h12M${x} ${y - 6}v12` }));
    if (screen.length > 1) parts.push(svgElement("polyline", { class: "measure-line", points: screen.map((point) => point.join(",")).join(" ") }));
    view.layers.measure.replaceChildren(...parts);
    if (places.length < 2) return;
    if (kind === "scale") afterClick(() => this.askDistance(picture, places));
    else this.level(picture, places);
  }

  /** Ask how far apart two places are; the first stays where it is. */
  askDistance(picture, [a, b]) {
    const seen = Math.hypot(b[0] - a[0], b[1] - a[1]);
    this.board.ask("They are how far apart?", `${round(seen)} mm`, (text) => {
      const wanted = millimetres(text);
      if (!(wanted > 0) || !(seen > 0)) {
        this.board.note("Type a distance such as 164 mm.");
        return;
      }
      const factor = wanted / seen;
      this.end();
      this.set(picture.line, { width: picture.width * factor, right: a[0] + (picture.right - a[0]) * factor, up: a[1] + (picture.up - a[1]) * factor });
    }, () => this.end());
  }

  /** Turn the picture so that two places lie level or upright, whichever is nearer. */
  level(picture, [a, b]) {
    const angle = Math.atan2(b[1] - a[1], b[0] - a[0]);
    const by = Math.round(angle / (Math.PI / 2)) * (Math.PI / 2) - angle;
    const [x, y] = turned([picture.right - a[0], picture.up - a[1]], by);
    this.end();
    this.board.note("");
    this.set(picture.line, { turn: ((picture.turn + by) * 180) / Math.PI, right: a[0] + x, up: a[1] + y });
  }

  /** Draw a view's pictures: those behind under the mesh's lines, the others over them. */
  draw(view) {
    const under = [];
    const over = [];
    for (const picture of this.board.extras.pictures ?? []) {
      if (picture.plane !== view.plane) continue;
      const size = this.size(picture.picture);
      if (!size) continue;
      const [right, up] = this.drag?.picture === picture && this.drag.to ? this.drag.to : [picture.right, picture.up];
      const [x, y] = view.toScreen(right, up);
      const width = picture.width * view.space.zoom;
      const height = (width * size.height) / size.width;
      const image = this.image(view, picture.line);
      const values = { href: size.url, x: -width / 2, y: -height / 2, width, height, opacity: picture.strength / 100, preserveAspectRatio: "none", transform: `translate(${x} ${y}) rotate(${(-picture.turn * 180) / Math.PI})`, class: `reference${picture.locked ? "" : " is-loose"}` };
      for (const [name, value] of Object.entries(values)) if (image.getAttribute(name) !== String(value)) image.setAttribute(name, value);
      (picture.behind ? under : over).push(image);
    }
    keepOnly(view.under, under);
    keepOnly(view.layers.over, over);
  }

  /** @returns {SVGElement} the image of a line in a view, the same one at every redraw so that nothing flickers */
  image(view, line) {
    view.images ??= new Map();
    if (!view.images.has(line)) view.images.set(line, svgElement("image"));
    return view.images.get(line);
  }

  /** @returns {?{url: string, width: number, height: number}} a picture's size in pixels, once it is known */
  size(id) {
    if (!this.sizes.has(id)) {
      this.sizes.set(id, null);
      const image = new Image();
      const url = this.board.root.dataset.pictureUrl.replace("0", encodeURIComponent(id));
      image.onload = () => {
        this.sizes.set(id, { url, width: image.naturalWidth, height: image.naturalHeight });
        this.board.drawings.forEach((view) => this.draw(view));
      };
      image.onerror = () => this.board.note("A reference picture is not in this project any more. Choose another one in its line.");
      image.src = url;
    }
    return this.sizes.get(id);
  }
}

/** Do something when the click under way is over: its last part would take the focus away again. */
function afterClick(act) {
  window.addEventListener("pointerup", () => setTimeout(act), { once: true });
}

/** Make an element hold just these children, touching nothing that is right already. */
function keepOnly(element, children) {
  if (element.children.length !== children.length || children.some((child, k) => element.children[k] !== child)) element.replaceChildren(...children);
}

function turned([x, y], angle) {
  return [x * Math.cos(angle) - y * Math.sin(angle), x * Math.sin(angle) + y * Math.cos(angle)];
}

function round(value) {
  return Math.round(value * 1000) / 1000;
}

/** @returns {number} a typed length in mm; NaN for what is none */
function millimetres(text) {
  const match = /^\s*([\d.]+)\s*(mm|cm|m|inch|in)?\s*$/.exec(text.replace(",", "."));
  return match ? Number(match[1]) * { mm: 1, cm: 10, m: 1000, inch: 25.4, in: 25.4 }[match[2] ?? "mm"] : NaN;
}
