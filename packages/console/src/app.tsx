/** The frame around all pages, and which address shows which page. */

import { type ComponentType, lazy, type ReactNode, Suspense, useState } from "react";
import { Link, Redirect, Route, Switch, useLocation } from "wouter";
import { Hint } from "./parts/basics.js";
import { isDark, toggleTheme } from "./theme.js";

/**
 * Every page is a file in pages/, and its name is its address: `matches.ID.replay.tsx` is /matches/:id/replay, and
 * gets `id`. A page is loaded when it is shown.
 */
const PAGES = Object.entries(import.meta.glob<{ default: ComponentType<Record<string, string>> }>("./pages/*.tsx")).map(
  ([file, load]) => ({
    address: file
      .replace("./pages", "")
      .replace(".tsx", "")
      .replace(/\.([A-Z]+)/g, (_, name: string) => `/:${name.toLowerCase()}`)
      .replaceAll(".", "/"),
    Page: lazy(load),
  }),
);

export function App(): ReactNode {
  return (
    <div className="flex h-full flex-col">
      <Header />
      <main className="min-h-0 flex-1">
        <Suspense fallback={<Hint>One moment ...</Hint>}>
          <Switch>
            <Route path="/">
              <Redirect to="/machines" replace />
            </Route>
            {PAGES.map(({ address, Page }) => (
              <Route key={address} path={address}>
                {(params) => <Page {...params} />}
              </Route>
            ))}
            <Route>
              <h1 className="p-6 text-soft">There is no page at this address.</h1>
            </Route>
          </Switch>
        </Suspense>
      </main>
    </div>
  );
}

function Header(): ReactNode {
  const [dark, setDark] = useState(isDark);
  return (
    <header className="flex h-12 shrink-0 items-center gap-6 border-b border-line bg-panel px-4">
      <Link href="/" className="flex items-center gap-2 font-semibold">
        <Mark />
        Zany Compass
      </Link>
      <nav aria-label="Pages" className="flex gap-1">
        <Tab href="/machines">Machines</Tab>
        <Tab href="/matches">Matches</Tab>
        <Tab href="/logbooks">Logbooks</Tab>
      </nav>
      <button
        type="button"
        className="ml-auto rounded px-2 py-1 text-soft hover:bg-sunken"
        onClick={() => {
          toggleTheme();
          setDark(isDark());
        }}
      >
        {dark ? "Light" : "Dark"}
      </button>
    </header>
  );
}

function Tab({ href, children }: { href: string; children: ReactNode }): ReactNode {
  const [location] = useLocation();
  const here = location.startsWith(href);
  return (
    <Link
      href={href}
      aria-current={here ? "page" : undefined}
      className={`rounded px-3 py-1.5 ${here ? "bg-sea-wash font-medium text-sea" : "text-soft hover:bg-sunken"}`}
    >
      {children}
    </Link>
  );
}

function Mark(): ReactNode {
  return (
    <svg viewBox="0 0 32 32" className="h-6 w-6" aria-hidden="true">
      <circle cx="16" cy="16" r="14" fill="none" stroke="var(--sea)" strokeWidth="2.5" />
      <path d="M16 5l4.5 11h-9z" fill="var(--sail)" />
      <path d="M16 27l4.5-11h-9z" fill="var(--sea)" />
    </svg>
  );
}
