// What the pages' scripts find beside the modules: htmx, which is loaded before them.
interface Htmx {
  ajax(method: string, url: string, options: { source?: Element; target: string; swap: string; values: Record<string, unknown> }): Promise<void>;
}
interface Window {
  htmx: Htmx;
}
