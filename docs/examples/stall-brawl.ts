/** A battle as it is often written: an enum, a switch, and booleans. docs/from-switch.md moves it into a machine. */

export enum Phase {
  RoundStart,
  Choose,
  Animating,
  CheckEnd,
  Won,
  Lost,
}

interface Fighter {
  name: string;
  isStall: boolean; // defends the stall; else a heckler
  nerve: number;
  pace: number;
  eggs: number;
  braced: boolean;
  dazed: boolean;
}

type Command = { kind: "throw"; target: number } | { kind: "brace" } | { kind: "bun" } | { kind: "runAway" };

const TURN_MS = 30_000;

export class Brawl {
  phase = Phase.RoundStart;
  paused = false;
  round = 0;
  order: number[] = [];
  turnIndex = 0;
  waitedMs = 0;
  log: string[] = [];

  readonly fighters: Fighter[] = [
    { name: "Marta", isStall: true, nerve: 20, pace: 4, eggs: 3, braced: false, dazed: false },
    { name: "Odo", isStall: true, nerve: 24, pace: 2, eggs: 3, braced: false, dazed: false },
    { name: "Rook", isStall: false, nerve: 18, pace: 5, eggs: 3, braced: false, dazed: false },
    { name: "Wren", isStall: false, nerve: 18, pace: 3, eggs: 3, braced: false, dazed: false },
  ];

  private readonly random: () => number;

  constructor(random: () => number) {
    this.random = random;
    this.enter(Phase.RoundStart);
  }

  private get current(): Fighter {
    return this.fighters[this.order[this.turnIndex]!]!;
  }

  private die(sides: number): number {
    return 1 + Math.floor(this.random() * sides);
  }

  private enter(phase: Phase): void {
    this.phase = phase;
    switch (phase) {
      case Phase.RoundStart: {
        this.round++;
        const score = this.fighters.map((f) => f.pace + this.die(6));
        this.order = this.fighters.map((_, i) => i).sort((a, b) => score[b]! - score[a]!);
        this.turnIndex = 0;
        this.enter(Phase.Choose);
        break;
      }
      case Phase.Choose:
        this.waitedMs = 0;
        if (this.current.dazed) {
          this.current.dazed = false;
          this.log.push(`${this.current.name} shakes the yolk off`);
          this.nextTurn();
        }
        break;
      case Phase.Animating:
        break; // until the animation calls back
      case Phase.CheckEnd: {
        const stallStands = this.fighters.some((f) => f.isStall && f.nerve > 0);
        const hecklersStand = this.fighters.some((f) => !f.isStall && f.nerve > 0);
        if (!stallStands) this.enter(Phase.Lost);
        else if (!hecklersStand) this.enter(Phase.Won);
        else this.nextTurn();
        break;
      }
      default:
        break;
    }
  }

  private nextTurn(): void {
    this.turnIndex++;
    this.enter(this.turnIndex >= this.order.length ? Phase.RoundStart : Phase.Choose);
  }

  /** What the buttons call. */
  command(command: Command): boolean {
    if (this.paused || this.phase !== Phase.Choose) return false;
    const me = this.current;
    switch (command.kind) {
      case "throw": {
        const target = this.fighters[command.target];
        if (!target || target === me || me.eggs === 0) return false;
        me.eggs--;
        const hit = this.die(8) + 2 - (target.braced ? 6 : 0);
        target.nerve -= hit;
        if (this.random() < 0.15) target.dazed = true;
        me.nerve -= 1; // the crowd boos whoever throws
        this.log.push(`${me.name} hits ${target.name} for ${hit}`);
        this.enter(Phase.Animating);
        return true;
      }
      case "brace":
        me.braced = true;
        this.enter(Phase.Animating);
        return true;
      case "bun":
        me.nerve = Math.min(24, me.nerve + 5);
        me.eggs++; // the baker gives one with it
        this.enter(Phase.Animating);
        return true;
      case "runAway":
        this.enter(me.isStall ? Phase.Lost : Phase.Won);
        return true;
      default:
        return false;
    }
  }

  /** What the animation calls when it has ended. */
  animationEnded(): void {
    if (this.phase === Phase.Animating) this.enter(Phase.CheckEnd);
  }

  togglePause(): void {
    this.paused = !this.paused;
  }

  /** Called every frame. */
  update(ms: number): void {
    if (this.paused || this.phase !== Phase.Choose) return;
    this.waitedMs += ms;
    if (this.waitedMs > TURN_MS) this.nextTurn();
  }
}
