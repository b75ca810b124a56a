/** Machines that fill the console. */

/** One whose matches go on for as many steps as one likes. */
export function longLogbookMachine(): string {
  return `machine Calls
seats left, right
data { called: int 0..1000000  onTurn: seat = left  breath per seat: int 0..9 = 9 }
start Open
state Open {
  turn of onTurn
  action call { called += roll(1..6)  onTurn = next(me)  note "{me} calls" } -> stay
  action hush -> Over
}
ending Over { draws all }
`;
}

/** One of so many states and lines. */
export function longMachine(states: number, lines: number): string {
  const each = Math.floor((lines - 10) / states) - 3;
  const body = (i: number): string =>
    Array.from({ length: each }, (_, k) =>
      k === 0
        ? `  action go -> S${(i + 1) % states}`
        : k === 1
          ? `  action back -> S${(i + states - 1) % states}`
          : `  action a${k} { n${k % 9} += ${k}  note "{me} takes way ${k}" } -> stay`,
    ).join("\n");
  return `machine Long
seats ann, ben
data { ${Array.from({ length: 9 }, (_, i) => `n${i}: int 0..999999`).join("  ")} }

start S0

${Array.from({ length: states }, (_, i) => `state S${i} {\n  turn of seats\n${body(i)}\n}`).join("\n")}

ending Over { draws all }
on Left(s) -> Over
`;
}

/** One of so many seats. */
export function wideMachine(seats: number): string {
  const names = Array.from({ length: seats }, (_, i) => `s${i + 1}`);
  return `machine Wide
seats ${names.join(", ")}
type Gull { breath: int 0..20 = 20  fish: int 0..9  mood: text max 9 = "calm" }
data { gulls per seat: Gull  onTurn: seat = s1 }
start Fly
state Fly {
  turn of onTurn
  action pass { gulls[me].breath -= 1  onTurn = next(me) } -> stay
  action land -> Over(me)
}
ending Over(by: seat) { wins by  loses others }
`;
}
