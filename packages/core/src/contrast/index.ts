export {
  CHANGES,
  type Change,
  COMPARED_PER,
  type ComparedPer,
  type Counted,
  contrast,
  type Difference,
  FALSE_SHARE,
  type Side,
} from "./contrast.js";
