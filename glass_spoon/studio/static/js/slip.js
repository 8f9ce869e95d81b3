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
      if (event.detail.target.id === "slip-content" && !this.dialog.open) this.dialog.showModal();
    });
    this.dialog.addEventListener("click", (event) => this.onClick(event));
  }

  onClick(event) {
    const target = event.target;
    if (target === this.dialog || target.closest("[data-close-slip]")) this.dialog.close();
    else if (target.closest("[data-remove-line]")) this.remove(target.closest("[data-remove-line]").dataset.removeLine);
    else if (target.closest("[data-drop-row]")) target.closest("tr").remove();
    else if (target.closest("[data-add-row]")) this.addRow();
    else if (target.closest("[data-apply-points]")) this.applyPoints();
  }

  remove(line) {
    this.dialog.close();
    this.edits.change({ op: "remove", line });
  }

  addRow() {
    const body = this.dialog.querySelector(".points-table tbody");
    const row = document.createElement("tr");
    const number = body.rows.length + 1;
    for (const name of ["number", "x", "y", "sharp", "drop"]) {
      const cell = row.insertCell();
      if (name === "number") cell.textContent = String(number);
      else if (name === "drop") cell.append(button("×", `Remove point ${number}`));
      else cell.append(field(name, number));
    }
    body.append(row);
    row.querySelector("input").focus();
  }

  applyPoints() {
    const slip = this.dialog.querySelector("#points-slip");
    const points = [...slip.querySelectorAll("tbody tr")].map((row) => ({
      x: row.querySelector("[name=x]").value.trim() || "0",
      y: row.querySelector("[name=y]").value.trim() || "0",
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
  input.setAttribute("aria-label", { x: `Right of point ${number}`, y: `Up of point ${number}`, sharp: `Point ${number} is sharp` }[name]);
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
