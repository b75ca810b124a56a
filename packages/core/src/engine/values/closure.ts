/** What expressions and effects become when they are made ready: functions without arguments. */

/** Computes a value from the working memory. */
export type Get<T = unknown> = () => T;

/** Changes the working memory. */
export type Run = () => void;
