// The parts of Observable Plot that the course charts use, as one script.
import { dot, lineY, plot, ruleX, text } from "@observablehq/plot";

globalThis.Plot = { dot, lineY, plot, ruleX, text };
