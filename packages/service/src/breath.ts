/** Long work gives way: others get their turn of the event loop when this one has taken a while. */

/** How long one turn of the event loop may take before what can wait does so, in milliseconds. */
const LONG = 4;

let began = 0;
let turning = false;

/** Resolves at once while this turn is young, and otherwise in the next one. */
export async function giveWay(): Promise<void> {
  if (!turning) {
    turning = true;
    began = performance.now();
    setImmediate(() => (turning = false));
  }
  if (performance.now() - began > LONG) await new Promise((resolve) => setImmediate(resolve));
}
