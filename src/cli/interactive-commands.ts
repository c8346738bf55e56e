// Commands that people call one at a time, and by hand: a part of the bundle of their own, which a run does not load.

export { ciCommand } from './ci.ts';
export { compareCommand } from './compare.ts';
export { coverageCommand } from './coverage.ts';
export { demoCommand } from './demo.ts';
export { graphCommand } from './graph.ts';
export { importCommand } from './import.ts';
export { initCommand } from './init.ts';
export { listCommand } from './list.ts';
export { remedyForCommand, remedyForOption } from './other-command-lines.ts';
export { pickCommand } from './pick.ts';
export { reportCommand } from './report.ts';
export { runsCommand } from './runs.ts';
export { sendCommand } from './send.ts';
export { showCommand } from './show.ts';
export { topicNames } from './topic-names.ts';
export { varsCommand } from './vars.ts';
export { watch } from './watch.ts';
export { runWritingExamples } from './write-examples.ts';
