// apart, so that the dictionaries are loaded when a password is set
export { ZxcvbnFactory } from "@zxcvbn-ts/core";
export { adjacencyGraphs, dictionary } from "@zxcvbn-ts/language-common";
