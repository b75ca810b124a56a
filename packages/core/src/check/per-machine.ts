/** What follows from a machine alone, worked out once: it is kept as long as the machine is. */

import type { Machine } from "./machine.js";

/** @param workOut is called once for each machine @returns gives what it gave */
export function perMachine<T>(workOut: (machine: Machine) => T): (machine: Machine) => T {
  const known = new WeakMap<Machine, { readonly value: T }>();
  return (machine) => {
    let one = known.get(machine);
    if (!one) known.set(machine, (one = { value: workOut(machine) }));
    return one.value;
  };
}
