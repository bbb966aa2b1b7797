export { type StoryDetail, storyOf } from "./of-detail.js";
export type { Paragraph } from "./tell.js";
