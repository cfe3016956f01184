/*
 * The pages are our own: an element found by its data attribute is of the kind its script expects.
 * So what elements of any kind may have is said here once, instead of a cast at each place.
 */

interface EventTarget {
  closest?(selector: string): any;
  querySelectorAll(selector: string): any;
  dataset: DOMStringMap;
  files: FileList | null;
  form: any;
  value: any;
  name: string;
  type: string;
  checked: boolean;
  setAttribute(name: string, value: string): void;
}

/* Loaded by its own file; without it pages are loaded whole. */
interface Window {
  htmx?: { ajax(verb: string, address: string, how: object): Promise<void> };
}

/* Which kind of event it is, its name says where it is listened to. */
interface Event {
  detail: any;
  key: any;
  altKey: any;
  shiftKey: any;
  deltaY: any;
  pointerId: any;
  pointerType: any;
  clientX: any;
  clientY: any;
}

interface Element {
  hidden: any;
  disabled: any;
  action: any;
  href: any;
  showModal(): void;
  focus(...options: any[]): void;
  blur(): void;
  requestSubmit(): void;
  style: any;
  open: any;
  size: any;
  max: any;
  offsetParent: any;
  getScreenCTM(): DOMMatrix;
  ownerSVGElement: any;
}
