/** Comments where they belong: how many a line has beside it, and pins at the places that some are about. */
import { svgElement } from "../views/svg.js";
import { Tool } from "./tool.js";

const SIZE = 8;

export class CommentPins extends Tool {
  /** @param {Board} board */
  constructor(board) {
    super(board);
    this.goesFirst = true;
    /** @type {number[][]} */
    this.places = [];
  }

  connect(listening) {
    listening.on(document.body, "htmx:afterSettle", () => this.read());
    listening.on(document.body, "click", (event) => {
      const badge = event.target.closest(".comment-badge");
      if (badge) this.open({ line: badge.dataset.line });
      else if (event.target.closest("[data-pick-comment]")) this.open({ place: this.board.markPick.placePicked() });
    });
    this.read();
  }

  claims({ event }) {
    return event.button === 0 && Boolean(event.target.closest(".comment-pin"));
  }

  up() {
    this.open({});
  }

  key(event) {
    if (!event.target.closest?.(".comment-pin") || (event.key !== "Enter" && event.key !== " ")) return false;
    this.open({});
    return true;
  }

  /** Show comments in the slip. @param {Object<string, string>} values which, or about what one is to be written */
  open(values) {
    window.htmx.ajax("GET", this.button.dataset.commentsUrl, { target: "#slip-content", swap: "innerHTML", values });
  }

  /** @returns {?HTMLElement} the button that knows of all; none for who looks by a link */
  get button() {
    return document.querySelector("#comments-button");
  }

  /** Take what there is from the page, and show it. */
  read() {
    const { byLine = "", places = "" } = this.button?.dataset ?? {};
    this.places = words(places).map((place) => place.split(",").map(Number));
    const counts = new Map(words(byLine).map((pair) => /** @type {[string, string]} */ (pair.split(":"))));
    for (const line of this.board.root.querySelectorAll(".line")) {
      const own = /** @type {HTMLElement} */ (line);
      this.mark(own, counts.get(own.dataset.line));
    }
    this.board.views.forEach((view) => this.draw(view));
  }

  /** @param {HTMLElement} line @param {string} [count] */
  mark(line, count) {
    const there = /** @type {?HTMLElement} */ (line.querySelector(":scope > .comment-badge"));
    if (there?.textContent === (count ?? "")) return;
    there?.remove();
    if (!count) return;
    const badge = document.createElement("button");
    Object.assign(badge, { type: "button", className: "comment-badge", textContent: count, title: "Comments on this line" });
    badge.dataset.line = line.dataset.line;
    badge.setAttribute("aria-label", `${count} open comment${count === "1" ? "" : "s"} on this line`);
    line.append(badge);
  }

  draw(view) {
    if (!view.layers.comments) return;
    const seen = this.places.map((place) => view.project(place)).filter(Boolean);
    view.layers.comments.replaceChildren(...seen.map(([x, y]) => pin(x, y)));
  }
}

/** @returns {SVGElement} a pin whose tip is at a place of a view */
function pin(x, y) {
  const mark = svgElement("g", { class: "comment-pin", role: "button", tabindex: 0, "aria-label": "Comment on this place", transform: `translate(${x.toFixed(1)} ${y.toFixed(1)})` });
  mark.append(svgElement("path", { d: `M0 0L${-SIZE / 2} ${-SIZE}A${SIZE} ${SIZE} 0 1 1 ${SIZE / 2} ${-SIZE}Z` }));
  return mark;
}

/** @returns {string[]} */
function words(text) {
  return text.split(" ").filter(Boolean);
}
