// The layers of the page, from the ground up: what stands in one may import what stands below it.
const layers = ["api", "live", "model", "widgets", "stage", "project", "viewport", "board", "areas", "workbench"];

/** @type {import('dependency-cruiser').IConfiguration} */
module.exports = {
  forbidden: [
    {
      name: "no-circle",
      severity: "error",
      comment: "Files that import each other cannot be read one by one.",
      from: {},
      to: { circular: true },
    },
    ...layers
      .slice(0, -1)
      .map((layer, i) => ({
        name: `${layer}-looks-down`,
        severity: "error",
        comment: `${layer} lies below ${layers.slice(i + 1).join(", ")}.`,
        from: { path: `^src/${layer}/` },
        to: { path: `^src/(${layers.slice(i + 1).join("|")})/` },
      })),
    {
      name: "areas-apart",
      severity: "error",
      comment: "An area is a folder of its own: what two of them need belongs below them.",
      from: { path: "^src/areas/([^/]+)/" },
      to: { path: "^src/areas/", pathNot: "^src/areas/$1/" },
    },
    { name: "nothing-at-the-root", severity: "error", from: { path: "^src/[^/]+/" }, to: { path: "^src/[^/]+$" } },
  ],
  options: {
    doNotFollow: { path: "node_modules" },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: "tsconfig.json" },
  },
};
