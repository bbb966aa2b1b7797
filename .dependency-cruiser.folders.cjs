const { options } = require("./.dependency-cruiser.cjs");

/** No two folders of what ships import each other. Tests, which look at all of it, are left out. */
module.exports = {
  forbidden: [{ name: "no-folder-circles", scope: "folder", severity: "error", from: {}, to: { circular: true } }],
  options: { ...options, exclude: { path: `dist|\\.test\\.tsx?$|/testing/` } },
};
