/** What every tool of the board is: asked whether a press is its own, then told of it until the hand lets go. */

/**
 * Where the pointer is: in which view, by which event.
 * @typedef {Object} Press
 * @property {PointerEvent} event
 * @property {any} view a drawing view or the picture
 */

export class Tool {
  /** @param {Board} board */
  constructor(board) {
    this.board = board;
    /** Whether what has the focus keeps it when the tool takes a press. */
    this.keepsFocus = false;
    /** Whether it is asked also before tools that were begun: what it claims lies over all else. */
    this.goesFirst = false;
  }

  /** Listen to buttons of its own. @param {Listening} _listening ends what is heard */
  connect(_listening) {}

  /** @param {Press} _press @returns {boolean} whether the press is its own */
  claims(_press) {
    return false;
  }

  /** The press that it claimed. @param {Press} _press */
  down(_press) {}

  /** A move while it holds the pointer. @param {Press} _press */
  move(_press) {}

  /** The end of it. @param {Press} _press */
  up(_press) {}

  /** A move while nobody holds the pointer. @param {Press} _press @returns {boolean} whether nobody else needs to be told */
  hover(_press) {
    return false;
  }

  /** @param {Press} _press @returns {boolean} whether the double click was for it */
  double(_press) {
    return false;
  }

  /** @param {KeyboardEvent} _event @returns {boolean} whether the key was for it */
  key(_event) {
    return false;
  }

  /** The part is shown anew. @param {Object} _extras what came beside its meshes */
  update(_extras) {}

  /** Draw its own in a view that has changed. @param {any} _view */
  draw(_view) {}

  /** Let go of all it holds. */
  disconnect() {}
}
