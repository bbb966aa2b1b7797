export { type StoryDetail, storyOf } from "./of-detail.js";
