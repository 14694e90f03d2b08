// What a selector finds, and what an event came from, is known to the page that it is written for, not to the checker.
interface ParentNode {
  querySelector(selectors: string): any;
  querySelectorAll(selectors: string): NodeListOf<any>;
}
interface Element {
  closest(selectors: string): any;
  readonly dataset: DOMStringMap;
}
interface EventTarget {
  matches(selectors: string): boolean;
  closest(selectors: string): any;
}
interface Window {
  /** The builder of the page, for tests to look into. */
  builder: unknown;
  Alpine: any;
  /** Texts in another language, by their English template, and which of several forms a count takes. */
  lumenstatWords?: { texts: Record<string, any>; plural: (count: number) => number };
}
