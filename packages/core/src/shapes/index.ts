export { MOST_SHAPES, ShapeBook } from "./book.js";
export { Relearning, type Relearnt } from "./relearn.js";
export { type MessageShape, originParts, phraseOf, shapeText, standing, valuesOf } from "./shape.js";
export { shapeValues } from "./value-types.js";
