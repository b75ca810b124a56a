/** The time as a log tells it: numbers of a unit, dates, or times of the day that pass midnight. */

import { type Json, WrongValue } from "../engine/values/json.js";
import { type RowData, toldIn } from "./rows.js";
import { toldName } from "./syntax.js";
import type { ToldValues } from "./told.js";
import type { TypedMap } from "./typed.js";

const DAY = 86_400_000;
/** A clock that goes back by more than a minute has passed midnight: people play at about the same time every day. */
const MOST_BACK = 60_000;
/** The latest time there is, in milliseconds. */
const LATEST = 8_640_000_000_000_000;

export class LogClock {
  private last: number | undefined;
  /** The time of the day that was told last, with the days before it. */
  private ofDay = Number.NEGATIVE_INFINITY;
  private days = 0;

  constructor(
    private readonly map: TypedMap,
    private readonly told: ToldValues,
  ) {}

  /**
   * The told time of a row, in milliseconds; the time of the row before where none is told.
   *
   * @throws WrongValue when what is told is no time
   */
  of(data: RowData): number | undefined {
    const { time } = this.map;
    if (!time) return undefined;
    const json = toldIn(data, time.told);
    return json === undefined || json === null ? this.last : this.at(json);
  }

  /** A time that is told, likewise. @throws WrongValue when it is none */
  at(json: Json): number {
    const { time } = this.map;
    const at = time && this.milliseconds(time.unit, json);
    if (at === undefined || !Number.isFinite(at) || Math.abs(at) > LATEST)
      throw new WrongValue(`${time && toldName(time.told)}: ${JSON.stringify(json)} is no time in ${time?.unit}`);
    this.last = Math.round(at);
    return this.last;
  }

  private milliseconds(unit: NonNullable<TypedMap["time"]>["unit"], json: Json): number | undefined {
    if (unit === "date") return typeof json === "string" ? Date.parse(json) : undefined;
    if (unit !== "clock" && typeof json === "string" && json.includes(":")) return stretch(json, UNITS[unit]);
    // Two parts with a fraction are minutes and seconds since the beginning.
    if (unit === "clock" && /^\d+:\d{2}[.,]\d+$/.test(String(json))) return stretch(String(json), UNITS.m);
    if (unit !== "clock") {
      const number = typeof json === "string" ? this.told.number(json) : json;
      return typeof number === "number" ? number * UNITS[unit] : undefined;
    }
    const [, hours, minutes, secs] = /^(\d{1,2}):(\d{2})(?::(\d{2}(?:[.,]\d+)?))?$/.exec(String(json)) ?? [];
    if (hours === undefined || minutes === undefined) return undefined;
    const ofDay = (Number(hours) * 60 + Number(minutes)) * 60_000 + Number((secs ?? "0").replace(",", ".")) * 1_000;
    // Rows that are a little out of order go back by less.
    if (ofDay + this.days * DAY < this.ofDay - MOST_BACK) this.days++;
    const at = ofDay + this.days * DAY;
    this.ofDay = at;
    return at;
  }

  /** When something happens, as the log would have it. */
  words(at: number): string {
    const since = this.last === undefined ? 0 : at - this.last;
    return since === 0 ? "at that time" : `${seconds(Math.abs(since))} ${since < 0 ? "before" : "after"} it`;
  }
}

const UNITS = { ms: 1, s: 1_000, m: 60_000, h: 3_600_000 } as const;

/** `2:19.5` in minutes, `1:02:19` in hours: each part behind a colon is a sixtieth of the one before. */
function stretch(text: string, unit: number): number | undefined {
  if (!/^\d+(?::\d{2})+(?:[.,]\d+)?$/.test(text)) return undefined;
  const parts = text.replace(",", ".").split(":").map(Number);
  return parts.reduce((sum, part, i) => sum + (part * unit) / 60 ** i, 0);
}

/** A stretch of time in seconds. */
export function seconds(milliseconds: number): string {
  return `${Number((milliseconds / 1_000).toFixed(3))} s`;
}
