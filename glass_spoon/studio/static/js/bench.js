/** The bench: wires the sheet, the board and the keyboard together. */
import Alpine from "../vendor/alpine/alpine.csp.js";
import { Board } from "./board/board.js";
import { BringLines } from "./sheet/bring_lines.js";
import { Choose } from "./sheet/choose.js";
import { Edits } from "./edits.js";
import { FindLines } from "./sheet/find_lines.js";
import { ItemChoices } from "./sheet/item_choices.js";
import { Kin } from "./sheet/kin.js";
import { Keys } from "./keys.js";
import { Listening } from "./listening.js";
import { LawEditor } from "./law_editor.js";
import { finder } from "./sheet/finder.js";
import { SheetActions } from "./sheet/actions.js";
import { OpenLine } from "./sheet/open_line.js";
import { Presence } from "./presence.js";
import { Session } from "./session.js";
import { Slip } from "./slip.js";
import { TriedChange } from "./sheet/tried_change.js";
import { UploadNote } from "./upload_note.js";
import { Stand } from "./sheet/stand.js";
import { Steps } from "./sheet/steps.js";
import { Still } from "./sheet/still.js";
import { Values } from "./sheet/values.js";

/** @type {HTMLElement} */
const root = document.querySelector(".bench");
const session = new Session(root);
const edits = new Edits(root, session);
const board = new Board(root, edits);
const slip = new Slip(root, edits, board);
const openLine = new OpenLine(root);
const steps = new Steps(root);
const stand = new Stand(root, edits, board, steps);
const findLines = new FindLines(root, stand);

Alpine.data("finder", finder(root, edits, board, stand));
Alpine.start();

const parts = [session, steps, openLine, stand, new Still(root), edits, board, slip, new LawEditor(root, edits, board), new Values(root, edits, board), new SheetActions(root, edits, board, stand), new Choose(root, edits, board, stand), new Kin(root, board, stand), new ItemChoices(root), new BringLines(root, edits, stand), findLines, new Keys(root, edits, board, findLines), new TriedChange(root, edits, board, slip), new UploadNote(root), new Presence(root, edits, board)];
for (const part of parts) part.connect();
const listening = new Listening();
listening.on(document.body, "rebuilt", () => board.load());
listening.on(window, "pagehide", leave);
board.load();
root.dataset.ready = "1";

/** Let go of all listeners, and of what lies on the graphics card. */
function leave() {
  listening.end();
  for (const part of parts) part.disconnect();
  // A page that comes back from where it was kept starts anew.
  window.addEventListener("pageshow", (event) => event.persisted && window.location.reload(), { once: true });
}
