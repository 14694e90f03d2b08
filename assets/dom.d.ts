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
}
