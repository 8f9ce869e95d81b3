/** What the server tells of the part: the model as it is saved, and as it would be while a value is dragged. */
import { readGltf } from "./scene/gltf_file.js";

/** Milliseconds after which loading is told. */
const SLOW = 700;

export class PartFeed {
  /** @param {Board} board @param {Edits} edits */
  constructor(board, edits) {
    this.board = board;
    this.edits = edits;
    this.asked = 0;
    this.revision = 0;
    this.epoch = 0;
    this.running = null;
    this.next = null;
  }

  /** Ask for the model as the server has it now; the newest question counts. */
  async load() {
    const number = ++this.asked;
    this.drop();
    const slow = setTimeout(() => this.board.note("Loading the model…"), SLOW);
    try {
      const state = { ...this.edits.state(), ...this.board.judging.state() };
      const answer = await this.edits.session.ask(`${this.board.root.dataset.viewUrl}?${new URLSearchParams(state)}`);
      if (number !== this.asked) return;
      if (!answer.ok) {
        const refusal = await answer.json().catch(() => ({}));
        this.board.note(refusal.sentence ?? "The model could not be loaded. Load the page again.");
        return;
      }
      const content = await answer.arrayBuffer();
      if (number !== this.asked) return;
      this.revision = Number(state.revision);
      this.board.showSaved(readGltf(content));
    } catch {
      this.board.note("The server does not answer. Your last change may not be saved; load the page again.");
    } finally {
      clearTimeout(slow);
    }
  }

  /**
   * Ask how the part would be with fields of a line changed. Only the newest request matters; nothing is saved.
   * @param {string} line @param {Object<string, unknown>} values
   */
  preview(line, values) {
    if (line) this.previewAll({ [line]: values });
  }

  /** The same for values as they are typed: plain numbers are of the unit of the project. @param {string} line @param {Object<string, unknown>} values */
  previewTyped(line, values) {
    this.next = { changes: { [line]: values }, typed: true };
    this.running ??= this.run();
  }

  /** The same for fields of several lines. @param {Object<string, Object<string, unknown>>} changes by line and field */
  previewAll(changes) {
    this.next = { changes };
    this.running ??= this.run();
  }

  /** Forget previews that are under way: something is saved now. */
  drop() {
    this.next = null;
    this.epoch += 1;
  }

  async run() {
    while (this.next) {
      const asked = this.next;
      this.next = null;
      await this.one(asked, this.epoch);
    }
    this.running = null;
  }

  async one(asked, epoch) {
    const known = [...this.board.scene.models.values()].map((model) => model.topology);
    try {
      const answer = await this.edits.session.ask(this.board.root.dataset.previewUrl, {
        method: "POST",
        headers: { "Content-Type": "application/json" },
        body: JSON.stringify({ ...asked, known, view: { ...this.edits.state(), ...this.board.judging.state() } }),
      });
      if (epoch !== this.epoch) return;
      if (!answer.ok) {
        this.board.note((await answer.json()).sentence ?? "");
        return;
      }
      const file = readGltf(await answer.arrayBuffer());
      if (epoch === this.epoch) this.board.showPreview(file);
    } catch {
      this.board.note("The server does not answer.");
    }
  }
}
