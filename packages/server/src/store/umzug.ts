/** The runner of migrations. A module of its own, read when it is used: the package brings a command line with it, which is long to read. */
export { Umzug } from "umzug";
