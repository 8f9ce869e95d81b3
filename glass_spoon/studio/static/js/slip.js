/** The slip: a sheet of paper laid over the board for tables and choices. */
import { Listening } from "./listening.js";
import { fromShown, unit } from "./unit.js";

export class Slip {
  constructor(root, edits, board) {
    this.root = root;
    this.edits = edits;
    this.board = board;
    this.dialog = /** @type {HTMLDialogElement} */ (root.querySelector("#slip"));
    this.listening = new Listening();
    /** What the buttons of slips do. @type {Object<string, (button: any) => void>} */
    this.buttons = {
      "[data-close-slip]": () => this.dialog.close(),
      "[data-remove-line]": (button) => this.remove(button.dataset.removeLine),
      "[data-drop-row]": (button) => button.closest("tr").remove(),
      "[data-add-row]": () => this.addRow(),
      "[data-apply-points]": () => this.applyPoints(),
      "[data-add-table-row]": () => this.addTableRow(),
      "[data-apply-table]": () => this.applyTable(),
      "[data-add-size-row]": () => this.addSizeRow(),
      "[data-apply-sizes]": () => this.applySizes(),
      "[data-apply-placing]": () => this.applyPlacing(),
      "[data-match]": (button) => this.match(button.dataset),
      "[data-use-picture]": (button) => this.usePicture(button.dataset.usePicture),
    };
  }

  connect() {
    this.listening.on(document.body, "htmx:afterSwap", (event) => {
      if (event.detail.target.id === "slip-content" && !this.dialog.open) {
        this.dialog.showModal();
        this.dialog.scrollTop = 0;
      }
    });
    this.listening.on(document.body, "htmx:afterSwap", () => this.fetchParcel());
    this.listening.on(this.dialog, "click", (event) => this.onClick(event));
    this.listening.on(this.dialog, "focusin", (event) => event.target.matches("[data-selects]") && event.target.select());
    this.listening.on(this.dialog, "change", (event) => this.onChange(event));
    this.board.pen.onPlaceSlip = () => this.openPlacing();
  }

  disconnect() {
    this.listening.end();
  }

  /** @param {string} selector @returns {any} an element of the slip */
  find(selector) {
    return this.dialog.querySelector(selector);
  }

  /** A file that is ready goes to the downloads by itself; the one click was that which asked for it. */
  fetchParcel() {
    const link = this.find("a[data-fetch-now]");
    if (!link) return;
    delete link.dataset.fetchNow;
    link.closest(".parcel").scrollIntoView({ block: "nearest" });
    link.click();
  }

  /** Add a line that matches two surfaces along the edge of which the report tells. @param {DOMStringMap} data */
  match(data) {
    this.dialog.close();
    const edges = { edge: data.edge ?? "", onto_edge: data.ontoEdge ?? "" };
    return this.edits.change({ op: "match_for", item: data.match, onto: data.onto, after: data.behind, meeting: data.meeting, ...edges });
  }

  /** Looks and layers of curves, and pictures chosen from a file. */
  onChange(event) {
    const { target } = event;
    const { look, layer } = target.dataset;
    if (look) {
      const checked = "inverse" in target.dataset ? !target.checked : target.checked;
      const value = target.type === "checkbox" ? checked : target.value.trim();
      this.edits.change({ op: "look", item: target.closest("[data-item]").dataset.item, values: JSON.stringify({ [look]: value }) });
    } else if (layer) this.edits.change({ op: "layer", layer, shown: target.checked ? "1" : "0" });
    else if ("pictureFile" in target.dataset && target.files.length) this.usePictureFile(target);
  }

  async usePictureFile(input) {
    const { line } = input.dataset;
    this.dialog.close();
    const picture = await this.board.references.takeIn(input.files[0]);
    if (picture) this.edits.change({ op: "set", line, field: "picture", value: String(picture.id) });
  }

  /** Ask by which numbers the chosen points should move, turn and scale. */
  openPlacing() {
    const count = this.board.pen.picked().length;
    const content = /** @type {DocumentFragment} */ (/** @type {HTMLTemplateElement} */ (document.querySelector("#placing-slip")).content.cloneNode(true));
    content.querySelector("[data-count]").textContent = count === 1 ? "one point" : `${count} points`;
    this.find("#slip-content").replaceChildren(content);
    this.dialog.showModal();
  }

  applyPlacing() {
    const values = Object.fromEntries(new FormData(this.find("#placing-form")));
    const by = { about: values.about };
    for (const name of ["right", "up", "turn", "scale"]) by[name] = Number(String(values[name]).replace(/[^-\d.]/g, ""));
    if (Object.values(by).some((value) => Number.isNaN(value)) || by.scale === 0) {
      this.find("[data-refusal]").textContent = `Type plain numbers: ${unit()}, degrees, and a factor other than 0.`;
      return;
    }
    for (const name of ["right", "up"]) by[name] = fromShown(by[name]);
    this.dialog.close();
    this.board.pen.placeChosen(by);
  }

  /** A click goes to the first of its buttons that was hit. */
  onClick(event) {
    if (event.target === this.dialog) {
      this.dialog.close();
      return;
    }
    for (const [selector, act] of Object.entries(this.buttons)) {
      const button = event.target.closest(selector);
      if (button) {
        act(button);
        return;
      }
    }
  }

  remove(line) {
    this.dialog.close();
    this.edits.change({ op: "remove", line });
  }

  usePicture(picture) {
    const { line } = this.find("#pictures-slip").dataset;
    this.dialog.close();
    this.edits.change({ op: "set", line, field: "picture", value: picture });
  }

  addRow() {
    const body = this.find(".points-table tbody");
    const row = document.createElement("tr");
    const number = body.rows.length + 1;
    const weighted = Boolean(this.find("[name=weight]"));
    for (const name of ["number", "x", "y", "out", ...(weighted ? ["weight"] : []), "sharp", "drop"]) {
      const cell = row.insertCell();
      if (name === "number") cell.textContent = String(number);
      else if (name === "drop") cell.append(dropButton("×", `Remove point ${number}`));
      else cell.append(field(name, number));
    }
    body.append(row);
    row.querySelector("input").focus();
  }

  addTableRow() {
    const slip = this.find("#table-slip");
    const body = slip.querySelector("tbody");
    const row = slip.querySelector("template").content.firstElementChild.cloneNode(true);
    const last = body.lastElementChild;
    row.querySelectorAll("input").forEach((input) => (input.value = last?.querySelector(`[name=${input.name}]`)?.value ?? ""));
    body.append(row);
    row.querySelector("td").textContent = String(body.rows.length);
    row.querySelector("input").focus();
  }

  applyTable() {
    const slip = this.find("#table-slip");
    const rows = [...slip.querySelectorAll("tbody tr")].map((row) => Object.fromEntries(cellsOf(row).map((input) => [input.name, typedIn(input)])));
    this.dialog.close();
    this.edits.change({ op: "set", line: slip.dataset.line, field: slip.dataset.field, value: JSON.stringify(rows), typed: "1" });
  }

  addSizeRow() {
    const slip = this.find("#sizes-slip");
    slip.querySelector("tbody").append(slip.querySelector("template").content.firstElementChild.cloneNode(true));
    slip.querySelector("tbody tr:last-child input").focus();
  }

  applySizes() {
    const rows = [...this.find("#sizes-slip").querySelectorAll("tbody tr")];
    const sizes = rows.map((row) => ({ id: row.dataset.size, name: row.querySelector("[name=name]").value, value: row.querySelector("[name=value]").value }));
    this.dialog.close();
    this.edits.change({ op: "sizes", sizes: JSON.stringify(sizes) });
  }

  applyPoints() {
    const slip = this.find("#points-slip");
    const points = [...slip.querySelectorAll("tbody tr")].map((row) => ({
      x: typedIn(row.querySelector("[name=x]")) || "0",
      y: typedIn(row.querySelector("[name=y]")) || "0",
      out: typedIn(row.querySelector("[name=out]")) || "0",
      weight: Number(row.querySelector("[name=weight]")?.value) || 1,
      sharp: row.querySelector("[name=sharp]").checked,
    }));
    this.dialog.close();
    this.edits.change({ op: "set", line: slip.dataset.line, field: "points", value: JSON.stringify(points), typed: "1" });
  }
}

/** @param {HTMLInputElement} input @returns {string} what is typed in a cell; one that was not touched is as it is kept, with its unit */
function typedIn(input) {
  return input.value === input.defaultValue && input.dataset.kept ? input.dataset.kept : input.value.trim();
}

/** @returns {HTMLInputElement[]} the cells of a row; what goes with it unseen only while its place is the one that it came with */
function cellsOf(row) {
  const cells = [...row.querySelectorAll("input")];
  const isMoved = cells.some((input) => ["x", "y", "z"].includes(input.name) && input.value !== input.defaultValue);
  return isMoved ? cells.filter((input) => input.type !== "hidden") : cells;
}

function field(name, number) {
  const input = document.createElement("input");
  input.name = name;
  if (name === "sharp") input.type = "checkbox";
  else input.className = "input is-small";
  if (name === "weight") input.value = "1";
  input.setAttribute("aria-label", { out: `Out of point ${number}`, weight: `Weight of point ${number}`, x: `Right of point ${number}`, y: `Up of point ${number}`, sharp: `Point ${number} is sharp` }[name]);
  return input;
}

function dropButton(text, label) {
  const element = document.createElement("button");
  element.type = "button";
  element.className = "text-button";
  element.textContent = text;
  element.dataset.dropRow = "";
  element.setAttribute("aria-label", label);
  return element;
}
