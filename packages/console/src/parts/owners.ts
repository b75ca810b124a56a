/** Each seat has a colour and a sign of its own, so that what belongs to it is known without reading. */

const LOOKS = [
  { text: "text-owner-1", wash: "bg-owner-1", sign: "\u25cf" },
  { text: "text-owner-2", wash: "bg-owner-2", sign: "\u25a0" },
  { text: "text-owner-3", wash: "bg-owner-3", sign: "\u25b2" },
  { text: "text-owner-4", wash: "bg-owner-4", sign: "\u25c6" },
  { text: "text-owner-5", wash: "bg-owner-5", sign: "\u25cb" },
  { text: "text-owner-6", wash: "bg-owner-6", sign: "\u25a1" },
  { text: "text-owner-7", wash: "bg-owner-7", sign: "\u25b3" },
  { text: "text-owner-8", wash: "bg-owner-8", sign: "\u25c7" },
] as const;

type Look = (typeof LOOKS)[number];

/** The look of a seat, by its place among all of them. */
export function lookOf(seats: readonly { readonly seat: string }[], seat: string): Look {
  const place = Math.max(
    0,
    seats.findIndex((s) => s.seat === seat),
  );
  return LOOKS[place % LOOKS.length] as Look;
}
