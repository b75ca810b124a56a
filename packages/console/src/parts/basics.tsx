/** Small pieces that every page uses. */

import { ServiceProblem } from "@zany/client";
import type { Outcome } from "@zany/core";
import type { ButtonHTMLAttributes, ComponentType, ReactNode } from "react";
import { Link } from "wouter";

export function Hint({ children }: { children: ReactNode }): ReactNode {
  return <p className="p-6 text-soft">{children}</p>;
}

/** What will be there, while it is fetched. */
export function Loading({ lines = 4 }: { lines?: number }): ReactNode {
  return (
    <div role="status" aria-label="Loading" className="animate-pulse space-y-3 p-6 motion-reduce:animate-none">
      {Array.from({ length: lines }, (_, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: they are all alike
        <div key={i} className="h-5 rounded bg-sunken" style={{ width: `${85 - ((i * 17) % 40)}%` }} />
      ))}
    </div>
  );
}

/** A part of a page that scrolls by itself, by keyboard too. */
export function Scrolling({ label, children }: { label: string; children: ReactNode }): ReactNode {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: without it, the keyboard could not scroll here
    <section aria-label={label} tabIndex={0} className="min-h-0 flex-1 overflow-auto p-3">
      {children}
    </section>
  );
}

export function Page({
  title,
  aside,
  children,
}: {
  title: ReactNode;
  aside?: ReactNode;
  children: ReactNode;
}): ReactNode {
  return (
    <div className="h-full overflow-auto">
      <div className="mx-auto max-w-5xl p-6">
        <div className="mb-4 flex items-center gap-3 max-sm:flex-wrap">
          <h1 className="text-xl font-semibold">{title}</h1>
          <div className="ml-auto flex min-w-0 gap-2 max-sm:flex-wrap">{aside}</div>
        </div>
        {children}
      </div>
    </div>
  );
}

const DISABLED = "disabled:cursor-not-allowed disabled:opacity-45";

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & { readonly look?: "main" | "plain" };

export function Button({ look = "plain", className = "", ...rest }: ButtonProps): ReactNode {
  const looks = look === "main" ? "bg-sea text-panel hover:opacity-90" : "border border-line bg-panel hover:bg-sunken";
  return (
    <button type="button" {...rest} className={`rounded px-3 py-1.5 font-medium ${DISABLED} ${looks} ${className}`} />
  );
}

/** A button that shows a picture and says its words. */
export function IconButton({
  words,
  onClick,
  Icon,
  size = 18,
}: {
  words: string;
  onClick: () => void;
  Icon: ComponentType<{ size: number; "aria-hidden": true }>;
  size?: number;
}): ReactNode {
  return (
    <button
      type="button"
      aria-label={words}
      title={words}
      onClick={onClick}
      className="rounded p-1.5 text-soft hover:bg-sunken hover:text-ink"
    >
      <Icon size={size} aria-hidden />
    </button>
  );
}

/** Searches or filters what is shown, as it is typed. @param onEnter goes to the first that is found */
export function SearchField({
  words,
  hint,
  value,
  onChange,
  onEnter,
  look,
}: {
  words: string;
  hint: string;
  value: string;
  onChange: (value: string) => void;
  onEnter?: () => void;
  look: string;
}): ReactNode {
  return (
    <input
      type="search"
      aria-label={words}
      placeholder={hint}
      value={value}
      onChange={(event) => onChange(event.target.value)}
      onKeyDown={(event) => event.key === "Enter" && onEnter?.()}
      className={`rounded border border-line px-2 py-1 text-ink placeholder:text-soft ${look}`}
    />
  );
}

/** How many there are of something: `1 state`, `2 states`. */
export function counted(n: number, noun: string, several = `${noun}s`): string {
  return `${n} ${n === 1 ? noun : several}`;
}

/** What went wrong, in the service's own words. */
export function ErrorText({ error }: { error: unknown }): ReactNode {
  if (!error) return null;
  const words = error instanceof Error ? error.message : String(error);
  return (
    <p role="alert" className="rounded border border-bad bg-bad-wash px-3 py-2 text-bad">
      {words}
      {error instanceof ServiceProblem && error.code !== "unknown" ? (
        <span className="opacity-70"> ({error.code})</span>
      ) : null}
      {error instanceof ServiceProblem && error.status === 401 ? (
        <>
          {" "}
          <To href="/me">Say who you are</To>
        </>
      ) : null}
    </p>
  );
}

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;

/** When something was: how long ago while that is less than a day, else the date; the time to the second on hover. */
export function When({ at }: { at: string }): ReactNode {
  const date = new Date(at);
  const ago = Date.now() - date.getTime();
  const words =
    ago < MINUTE
      ? "just now"
      : ago < HOUR
        ? `${Math.floor(ago / MINUTE)} min ago`
        : ago < DAY
          ? `${Math.floor(ago / HOUR)} h ago`
          : date.toLocaleDateString(undefined, { day: "numeric", month: "short", year: "numeric" });
  return (
    <time dateTime={at} title={date.toLocaleString()}>
      {words}
    </time>
  );
}

const RESULT_LOOK: Readonly<Record<string, string>> = {
  win: "text-good",
  loss: "text-bad",
  draw: "text-sail",
  none: "text-soft",
};

/** An ending with every seat's result, in one line. */
export function Ended({ outcome }: { outcome: Outcome }): ReactNode {
  return (
    <span>
      <span className="font-medium">{outcome.ending}</span>
      {outcome.unfinished ? <span className="text-soft"> (not written yet)</span> : null}
      {outcome.results.map((r) => (
        <span key={r.seat} className="ml-2">
          {r.seat} <span className={RESULT_LOOK[r.result]}>{r.result}</span>
          {r.rank === undefined ? null : <span className="text-soft"> rank {r.rank}</span>}
          {r.score === undefined ? null : <span className="text-soft"> score {r.score}</span>}
        </span>
      ))}
    </span>
  );
}

/**
 * A table with a heading for each column; `children` are its rows. On a phone a row is a block, with its headings
 * before what stands under them.
 */
export function Table({ heads, children }: { heads: readonly string[]; children: ReactNode }): ReactNode {
  return (
    <table
      className={
        "stacked w-full rounded border border-line bg-panel [&_tbody>tr]:border-b " +
        "[&_tbody>tr]:border-line [&_td]:px-3 [&_td]:py-1.5"
      }
      style={Object.fromEntries(heads.map((name, i) => [`--head-${i + 1}`, JSON.stringify(name)]))}
    >
      <thead>
        <tr className="border-b border-line text-left text-soft">
          {heads.map((name) => (
            <th key={name} className="px-3 py-2 font-medium">
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>{children}</tbody>
    </table>
  );
}

/** A link as it looks everywhere inside pages. */
export function To({
  href,
  look = "",
  title,
  children,
}: {
  href: string;
  look?: string;
  title?: string | undefined;
  children: ReactNode;
}): ReactNode {
  return (
    <Link
      href={href}
      title={title}
      className={`whitespace-nowrap underline-offset-2 hover:underline ${look || "text-sea"}`}
    >
      {children}
    </Link>
  );
}
