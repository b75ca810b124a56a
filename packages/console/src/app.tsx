/** The frame around all pages, and which address shows which page. */

import { lazy, type ReactNode, Suspense, useState } from "react";
import { Link, Route, Switch, useLocation } from "wouter";
import { LogbooksPage } from "./pages/logbooks.js";
import { MachinesPage } from "./pages/machines.js";
import { MatchesPage } from "./pages/matches.js";
import { Quiet } from "./parts/basics.js";
import { isDark, toggleTheme } from "./theme.js";

// The editor, the layout of diagrams and the engine come only with the pages that need them.
const MachinePage = lazy(() => import("./pages/machine.js"));
const MatchPage = lazy(() => import("./pages/match.js"));
const ReplayPage = lazy(() => import("./pages/replay.js"));

export function App(): ReactNode {
  return (
    <div className="flex h-full flex-col">
      <Header />
      <main className="min-h-0 flex-1">
        <Suspense fallback={<Quiet>One moment ...</Quiet>}>
          <Switch>
            <Route path="/" component={MachinesPage} />
            <Route path="/machines/:reference">{(params) => <MachinePage reference={params.reference} />}</Route>
            <Route path="/matches" component={MatchesPage} />
            <Route path="/matches/:id/replay">{(params) => <ReplayPage source="match" id={params.id} />}</Route>
            <Route path="/matches/:id">{(params) => <MatchPage id={params.id} />}</Route>
            <Route path="/logbooks" component={LogbooksPage} />
            <Route path="/logbooks/:id">{(params) => <ReplayPage source="logbook" id={params.id} />}</Route>
            <Route>
              <Quiet>There is no page at this address.</Quiet>
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
        <Tab href="/" at={["/machines"]}>
          Machines
        </Tab>
        <Tab href="/matches" at={["/matches"]}>
          Matches
        </Tab>
        <Tab href="/logbooks" at={["/logbooks"]}>
          Logbooks
        </Tab>
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

function Tab({ href, at, children }: { href: string; at: readonly string[]; children: ReactNode }): ReactNode {
  const [location] = useLocation();
  const here = location === href || at.some((prefix) => location.startsWith(prefix));
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
