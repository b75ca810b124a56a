/** Machines and values as people see them: diagram, table, outline, story, board. `@zany/core/formats`. */

export { type BoardCell, boardOf, isOnBoard, type Piece } from "../formats/board.js";
export { type Diagram, diagramOf, focusDiagram, foldDiagram } from "../formats/diagram.js";
export { dotOf } from "../formats/dot.js";
export { BadGiven, givenFrom, valueFrom } from "../formats/given.js";
export { limitsOf, type MachineLimits } from "../formats/limits.js";
export { type OutlineItem, outlineOf, stateAt } from "../formats/outline.js";
export { type LayoutNode, layoutGraph, placesOf } from "../formats/layout.js";
export { type Missed, type PictureOptions, shapesOf, svgOf } from "../formats/picture.js";
export { type Plot, plotShapes, plotsSvg } from "../formats/plot.js";
export type { Palette, Shape } from "../formats/svg.js";
export { plotOfValues, type ValueFrom, valuesFrom } from "../formats/values-plot.js";
export { measuredPlots, plotsOfSweep, plotsOfTally, sweepCsv, type SweepPoint } from "../formats/tally-plots.js";
export { type StepRun, stepRuns } from "../formats/step-runs.js";
export { type Chapter, chaptersOf } from "../formats/story.js";
export { type Table, type TableCell, type TableRow, tableCsv, tableOf } from "../formats/table.js";
export {
  changeInWords,
  differenceInWords,
  pathInWords,
  type TraceJson,
  type TraceLine,
  type TraceMark,
  type TraceNodeJson,
  traceJson,
  traceFrom,
  traceLines,
} from "../formats/trace-lines.js";
export { nameOf, type ViewChange, viewChanges } from "../formats/changes.js";
export { quoted, valueText } from "../formats/value-text.js";
