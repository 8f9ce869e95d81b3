/** Elements of a mesh shown in plum, in the picture and in the drawing views too. */
export class Plum {
  /**
   * @param {PartScene} scene @param {Model} model
   * @param {"face" | "edge" | "point"} kind @param {number[]} indices @param {boolean} everywhere in the drawing views too
   * @param {?number} place of bodies the one that is meant, null for all
   */
  constructor(scene, model, kind, indices, everywhere, place = null) {
    this.shown = [scene.picture, ...(everywhere ? [scene.drawing] : [])].map((where) => {
      const object = model.marks(kind, indices, place);
      where.add(object);
      return { where, object };
    });
  }

  remove() {
    for (const { where, object } of this.shown) {
      where.remove(object);
      object.geometry.dispose();
    }
    this.shown = [];
  }
}
