/** The slip: a sheet of paper laid over the board for tables and choices. */
export class Slip {
  constructor(root, edits, board) {
    this.root = root;
    this.edits = edits;
    this.board = board;
    this.dialog = root.querySelector("#slip");
  }

  connect() {
    document.body.addEventListener("htmx:afterSwap", (event) => {
      if (event.detail.target.id === "slip-content" && !this.dialog.open) {
        this.dialog.showModal();
        this.dialog.scrollTop = 0;
      }
    });
    document.body.addEventListener("htmx:afterSwap", () => this.fetchParcel());
    this.dialog.addEventListener("click", (event) => this.onClick(event));
    this.dialog.addEventListener("change", (event) => this.onChange(event));
    this.board.pen.onPlaceSlip = () => this.openPlacing();
  }

  /** A file that is ready goes to the downloads by itself; the one click was that which asked for it. */
  fetchParcel() {
    const link = this.dialog.querySelector("a[data-fetch-now]");
    if (!link) return;
    delete link.dataset.fetchNow;
    link.closest(".parcel").scrollIntoView({ block: "nearest" });
    link.click();
  }

  /** Looks and layers of curves, and pictures chosen from a file. */
  onChange(event) {
    const { target } = event;
    const { look, layer } = target.dataset;
    if (look) {
      const checked = "inverse" in target.dataset ? !target.checked : target.checked;
      const value = target.type === "checkbox" ? checked : target.value.trim();
      this.edits.change({ op: "look", item: target.closest("tr").dataset.item, values: JSON.stringify({ [look]: value }) });
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
    const content = document.querySelector("#placing-slip").content.cloneNode(true);
    content.querySelector("[data-count]").textContent = count === 1 ? "one point" : `${count} points`;
    this.dialog.querySelector("#slip-content").replaceChildren(content);
    this.dialog.showModal();
  }

  applyPlacing() {
    const values = Object.fromEntries(new FormData(this.dialog.querySelector("#placing-form")));
    const by = { about: values.about };
    for (const name of ["right", "up", "turn", "scale"]) by[name] = Number(String(values[name]).replace(/[^-\d.]/g, ""));
    if (Object.values(by).some((value) => Number.isNaN(value)) || by.scale === 0) {
      this.dialog.querySelector("[data-refusal]").textContent = "Type plain numbers: mm, degrees, and a factor other than 0.";
      return;
    }
    this.dialog.close();
    this.board.pen.placeChosen(by);
  }

  onClick(event) {
    const target = event.target;
    if (target === this.dialog || target.closest("[data-close-slip]")) this.dialog.close();
    else if (target.closest("[data-remove-line]")) this.remove(target.closest("[data-remove-line]").dataset.removeLine);
    else if (target.closest("[data-drop-row]")) target.closest("tr").remove();
    else if (target.closest("[data-add-row]")) this.addRow();
    else if (target.closest("[data-apply-points]")) this.applyPoints();
    else if (target.closest("[data-add-table-row]")) this.addTableRow();
    else if (target.closest("[data-apply-table]")) this.applyTable();
    else if (target.closest("[data-apply-placing]")) this.applyPlacing();
    else if (target.closest("[data-use-picture]")) this.usePicture(target.closest("[data-use-picture]").dataset.usePicture);
  }

  remove(line) {
    this.dialog.close();
    this.edits.change({ op: "remove", line });
  }

  usePicture(picture) {
    const { line } = this.dialog.querySelector("#pictures-slip").dataset;
    this.dialog.close();
    this.edits.change({ op: "set", line, field: "picture", value: picture });
  }

  addRow() {
    const body = this.dialog.querySelector(".points-table tbody");
    const row = document.createElement("tr");
    const number = body.rows.length + 1;
    const weighted = Boolean(this.dialog.querySelector("[name=weight]"));
    for (const name of ["number", "x", "y", "out", ...(weighted ? ["weight"] : []), "sharp", "drop"]) {
      const cell = row.insertCell();
      if (name === "number") cell.textContent = String(number);
      else if (name === "drop") cell.append(button("×", `Remove point ${number}`));
      else cell.append(field(name, number));
    }
    body.append(row);
    row.querySelector("input").focus();
  }

  addTableRow() {
    const slip = this.dialog.querySelector("#table-slip");
    const body = slip.querySelector("tbody");
    const row = slip.querySelector("template").content.firstElementChild.cloneNode(true);
    const last = body.lastElementChild;
    row.querySelectorAll("input").forEach((input) => (input.value = last?.querySelector(`[name=${input.name}]`)?.value ?? ""));
    body.append(row);
    row.querySelector("td").textContent = String(body.rows.length);
    row.querySelector("input").focus();
  }

  applyTable() {
    const slip = this.dialog.querySelector("#table-slip");
    const rows = [...slip.querySelectorAll("tbody tr")].map((row) => Object.fromEntries([...row.querySelectorAll("input")].map((input) => [input.name, input.value.trim()])));
    this.dialog.close();
    this.edits.change({ op: "set", line: slip.dataset.line, field: slip.dataset.field, value: JSON.stringify(rows) });
  }

  applyPoints() {
    const slip = this.dialog.querySelector("#points-slip");
    const points = [...slip.querySelectorAll("tbody tr")].map((row) => ({
      x: row.querySelector("[name=x]").value.trim() || "0",
      y: row.querySelector("[name=y]").value.trim() || "0",
      out: row.querySelector("[name=out]").value.trim() || "0",
      weight: Number(row.querySelector("[name=weight]")?.value) || 1,
      sharp: row.querySelector("[name=sharp]").checked,
    }));
    this.dialog.close();
    this.edits.change({ op: "set", line: slip.dataset.line, field: "points", value: JSON.stringify(points) });
  }
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

function button(text, label) {
  const element = document.createElement("button");
  element.type = "button";
  element.className = "text-button";
  element.textContent = text;
  element.dataset.dropRow = "";
  element.setAttribute("aria-label", label);
  return element;
}
