/** The frame around all pages, and which address shows which page. */

import { CircleQuestionMark as CircleHelp, Moon, Search, Sun, Unplug, UserRound } from "lucide-react";
import { type ComponentType, lazy, type ReactNode, Suspense, useEffect, useRef, useState } from "react";
import { Link, Route, Switch, useLocation } from "wouter";
import { useLost } from "./connection.js";
import { isTyping } from "./keys.js";
import { IconButton, Loading } from "./parts/basics.js";
import { isDark, toggleTheme } from "./theme.js";

/**
 * Every page is a file in pages/, and its name is its address: `matches.ID.replay.tsx` is /matches/:id/replay, and
 * gets `id`; `home.tsx` is the first page. A page is loaded when it is shown.
 */
const PAGES = Object.entries(import.meta.glob<{ default: ComponentType<Record<string, string>> }>("./pages/*.tsx")).map(
  ([file, load]) => ({
    address: file
      .replace("./pages", "")
      .replace(".tsx", "")
      .replace(/^\/home$/, "/")
      .replace(/\.([A-Z]+)/g, (_, name: string) => `/:${name.toLowerCase()}`)
      .replaceAll(".", "/"),
    Page: lazy(load),
  }),
);

const CommandMenu = lazy(() => import("./parts/command-menu.js"));
const Toasts = lazy(() => import("./parts/toasts.js"));
const KeyList = lazy(() => import("./parts/key-list.js"));

export function App(): ReactNode {
  const [open, setOpen] = useState<"menu" | "keys">();
  useFrameKeys(setOpen);
  return (
    <div className="flex h-full flex-col">
      <Header onMenu={() => setOpen("menu")} onKeys={() => setOpen("keys")} />
      <Lost />
      <main className="min-h-0 flex-1">
        <Suspense fallback={<Loading />}>
          <Switch>
            {PAGES.map(({ address, Page }) => (
              <Route key={address} path={address}>
                {(params) => <Page {...params} />}
              </Route>
            ))}
            <Route>
              <div className="p-6 text-soft">
                <h1>There is no page at this address.</h1>
                <p className="mt-2">
                  <Link href="/" className="text-sea underline-offset-2 hover:underline">
                    Go to the first page
                  </Link>
                </p>
              </div>
            </Route>
          </Switch>
        </Suspense>
      </main>
      <Suspense>
        <Toasts />
        {open === "menu" ? <CommandMenu onClose={() => setOpen(undefined)} /> : null}
        {open === "keys" ? <KeyList onClose={() => setOpen(undefined)} /> : null}
      </Suspense>
    </div>
  );
}

/** Ctrl-K opens the command menu, a question mark the list of keys. */
function useFrameKeys(open: (what: "menu" | "keys") => void): void {
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      const menu = (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k";
      if (!menu && (event.key !== "?" || isTyping(event))) return;
      event.preventDefault();
      open(menu ? "menu" : "keys");
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [open]);
}

/** A service that is gone says so once, above all pages. */
function Lost(): ReactNode {
  if (!useLost()) return null;
  return (
    <p role="alert" className="flex items-center gap-2 border-b border-bad bg-bad-wash px-4 py-2 text-bad">
      <Unplug size={16} aria-hidden />
      The service does not answer. What is shown may be old; it is asked again every few seconds.
    </p>
  );
}

function Header({ onMenu, onKeys }: { onMenu: () => void; onKeys: () => void }): ReactNode {
  const [dark, setDark] = useState(isDark);
  const change = (): void => {
    toggleTheme();
    setDark(isDark());
  };
  return (
    <header
      className={"flex h-12 shrink-0 items-center gap-4 border-b border-line bg-panel px-4 max-md:gap-1 max-md:px-2"}
    >
      <Link href="/" className="flex shrink-0 items-center gap-2 font-semibold">
        <Mark />
        <span className="max-md:sr-only">Zany Compass</span>
      </Link>
      <nav aria-label="Pages" className="flex min-w-0 gap-1 overflow-x-auto max-md:flex-1">
        <Tab href="/machines">Machines</Tab>
        <Tab href="/matches">Matches</Tab>
        <Tab href="/lobby">Lobby</Tab>
        <Tab href="/mine">Mine</Tab>
        <Tab href="/notices">Notices</Tab>
        <Tab href="/logbooks">Logbooks</Tab>
      </nav>
      <button
        type="button"
        onClick={onMenu}
        className={
          "ml-auto flex shrink-0 items-center gap-2 rounded border " +
          "border-line bg-sunken px-2 py-1 text-soft hover:text-ink"
        }
      >
        <Search size={15} aria-hidden />
        <span className="max-md:sr-only">Go to</span>
        <kbd aria-hidden className="font-mono text-xs max-md:hidden">
          Ctrl K
        </kbd>
      </button>
      <Link
        href="/me"
        aria-label="Who you are"
        title="Who you are"
        className="rounded p-1.5 text-soft hover:bg-sunken hover:text-ink"
      >
        <UserRound size={18} aria-hidden />
      </Link>
      <span className="max-md:hidden">
        <IconButton words="Keys" onClick={onKeys} Icon={CircleHelp} />
      </span>
      <IconButton words={dark ? "Light" : "Dark"} onClick={change} Icon={dark ? Sun : Moon} />
    </header>
  );
}

function Tab({ href, children }: { href: string; children: ReactNode }): ReactNode {
  const [location] = useLocation();
  const here = location.startsWith(href);
  const link = useRef<HTMLAnchorElement>(null);
  // On a phone not all of them are in sight: the one that is open is.
  useEffect(() => {
    if (here) link.current?.scrollIntoView({ block: "nearest", inline: "center" });
  }, [here]);
  return (
    <Link
      ref={link}
      href={href}
      aria-current={here ? "page" : undefined}
      className={
        "rounded px-3 py-1.5 max-md:px-2 " +
        `${here ? "bg-sea-wash font-medium text-sea" : "text-soft hover:bg-sunken"}`
      }
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
