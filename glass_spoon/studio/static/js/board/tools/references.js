/** Reference pictures under the drawing views: dropped there and dragged. */
import { keepOnly, svgElement } from "../views/svg.js";
import { Vector3 } from "three";
import { PLANES } from "../views/planes.js";
import { round } from "./coordinate_text.js";
import { turned } from "./picture_task.js";
import { Tool } from "./tool.js";

const TYPES = ["image/png", "image/jpeg", "image/webp", "image/svg+xml"];
const NEW_SHARE = 0.8;

export class References extends Tool {
  /** @param {Board} board @param {Edits} edits */
  constructor(board, edits) {
    super(board);
    this.edits = edits;
    this.sizes = new Map();
    this.drag = null;
  }

  connect(listening) {
    for (const view of this.board.drawings) {
      const { element } = view;
      listening.on(element, "dragover", (event) => {
        if (![...event.dataTransfer.items].some((item) => item.kind === "file")) return;
        event.preventDefault();
        element.classList.add("is-drop-target");
      });
      listening.on(element, "dragleave", () => element.classList.remove("is-drop-target"));
      listening.on(element, "drop", (event) => {
        event.preventDefault();
        element.classList.remove("is-drop-target");
        const file = event.dataTransfer.files[0];
        if (file) this.lay(file, view, view.fromEvent(event));
      });
    }
  }

  /** Take a file in and lay it under a view. @param {File} file */
  async lay(file, view, [right, up]) {
    const picture = await this.takeIn(file);
    if (!picture) return;
    const width = Math.max(1, Math.round((view.svg.clientWidth / view.space.zoom) * NEW_SHARE));
    await this.edits.change({ op: "lay", values: JSON.stringify({ picture: String(picture.id), plane: view.plane, width: `${width} mm`, right: `${round(right)} mm`, up: `${round(up)} mm` }) });
    const line = /** @type {HTMLElement[]} */ ([...this.board.root.querySelectorAll(".line[data-verb=lay]")]).at(-1)?.dataset.line;
    this.board.note("Drag the picture into place, then set its scale.", line ? [["Set the scale", () => this.board.pictureTask.begin(line, "scale")]] : []);
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

  at(view, place) {
    return (this.board.scene.extras.pictures ?? []).filter((picture) => picture.plane === view.plane && !picture.locked && this.covers(picture, place)).at(-1);
  }

  covers(picture, place) {
    const size = this.sizes.get(picture.picture);
    if (!size) return false;
    const [x, y] = turned([place[0] - picture.right, place[1] - picture.up], -picture.turn);
    return Math.abs(x) <= picture.width / 2 && Math.abs(y) <= (picture.width * size.height) / size.width / 2;
  }

  /** @returns {Vector3[]} the corners of all pictures whose size is known, in space */
  corners() {
    return (this.board.scene.extras.pictures ?? []).flatMap((picture) => {
      const size = this.sizes.get(picture.picture);
      if (!size) return [];
      const [wide, high] = [picture.width / 2, (picture.width * size.height) / size.width / 2];
      return [[-wide, -high], [wide, -high], [wide, high], [-wide, high]].map((corner) => placeOf(picture, turned(/** @type {[number, number]} */ (corner), picture.turn)));
    });
  }

  claims({ event, view }) {
    if (view.isPicture || event.button !== 0 || !this.edits.mayEdit || event.target.closest("[data-curve]")) return false;
    this.found = this.at(view, view.fromEvent(event));
    return Boolean(this.found);
  }

  down({ event, view }) {
    this.drag = { view, picture: this.found, start: view.fromEvent(event), moved: false };
  }

  move({ event, view }) {
    const place = view.fromEvent(event);
    const { picture, start } = this.drag;
    this.drag.moved = true;
    this.drag.to = [picture.right + place[0] - start[0], picture.up + place[1] - start[1]];
    this.draw(view);
  }

  up(press) {
    const { drag } = this;
    this.drag = null;
    if (!drag.moved) {
      this.board.pen.click(press);
      return;
    }
    [drag.picture.right, drag.picture.up] = drag.to;
    this.place(drag.picture.line, { right: drag.to[0], up: drag.to[1] });
  }

  /** Save where a picture lies. @param {string} line @param {Object<string, number>} values mm, and degrees of its turn */
  place(line, values) {
    const texts = Object.fromEntries(Object.entries(values).map(([name, value]) => [name, name === "turn" ? `${round(value)}°` : `${round(value)} mm`]));
    return this.edits.change({ op: "set_many", line, values: JSON.stringify(texts) });
  }

  /** Draw a view's pictures: those behind under the mesh's lines, the others over them. */
  draw(view) {
    if (view.isPicture) return;
    const shown = (this.board.scene.extras.pictures ?? []).filter((picture) => picture.plane === view.plane && this.size(picture.picture));
    const laid = shown.map((picture) => ({ image: this.laid(view, picture), behind: picture.behind }));
    keepOnly(view.under, laid.filter(({ behind }) => behind).map(({ image }) => image));
    keepOnly(view.layers.over, laid.filter(({ behind }) => !behind).map(({ image }) => image));
  }

  /** @returns {SVGElement} the image of a picture where it lies in a view */
  laid(view, picture) {
    const size = this.size(picture.picture);
    const [right, up] = this.drag?.picture === picture && this.drag.to ? this.drag.to : [picture.right, picture.up];
    const [x, y] = view.toScreen(right, up);
    const width = picture.width * view.space.zoom;
    const height = (width * size.height) / size.width;
    const image = this.image(view, picture.line);
    const values = { href: size.url, x: -width / 2, y: -height / 2, width, height, opacity: picture.strength / 100, preserveAspectRatio: "none", transform: `translate(${x} ${y}) rotate(${(-picture.turn * 180) / Math.PI})`, class: `reference${picture.locked ? "" : " is-loose"}` };
    for (const [name, value] of Object.entries(values)) if (image.getAttribute(name) !== String(value)) image.setAttribute(name, String(value));
    return image;
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
        // The views take a picture in when its size is known: one alone, or one larger than all else.
        if (!this.board.wasMoved && !this.board.pen.placing) this.board.fit();
        else this.board.drawings.forEach((view) => this.draw(view));
      };
      image.onerror = () => this.board.note("A reference picture is not in this project any more. Choose another one in its line.");
      image.src = url;
    }
    return this.sizes.get(id);
  }
}

/** @returns {Vector3} a corner of a picture in space, from its middle */
function placeOf({ plane, right, up }, [byRight, byUp]) {
  const axes = PLANES[plane];
  const place = new Vector3();
  place[axes.right] = right + byRight;
  place[axes.up] = up + byUp;
  return place;
}
