export {
  CHANGES,
  COMPARED_PER,
  type ComparedPer,
  type Counted,
  contrast,
  type Difference,
} from "./contrast.js";
