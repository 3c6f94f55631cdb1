// What the type check does not see: our scripts use no global but the browser's, keep what does not change constant,
// and compare without conversions.

const BROWSER = [
  "window", "document", "navigator", "location", "history", "fetch", "console", "setTimeout", "clearTimeout",
  "setInterval", "clearInterval", "requestAnimationFrame", "cancelAnimationFrame", "queueMicrotask", "URL",
  "URLSearchParams", "FormData", "File", "Blob", "DataTransfer", "XMLHttpRequest", "DOMParser", "CSS", "Image", "Option",
  "ResizeObserver", "IntersectionObserver", "MutationObserver", "Event", "CustomEvent", "MouseEvent", "HTMLElement", "localStorage",
  "sessionStorage", "devicePixelRatio", "getComputedStyle", "createImageBitmap", "Path2D", "structuredClone",
  "EventSource", "AbortController", "confirm", "matchMedia", "OffscreenCanvas", "innerWidth", "innerHeight",
  "addEventListener", "scrollX", "scrollY", "performance", "crypto", "Notification", "SharedWorker", "self",
];

export default [
  {
    files: ["**/*.js"],
    ignores: ["**/htmx.min.js"],
    languageOptions: {
      ecmaVersion: 2023,
      sourceType: "module",
      globals: Object.fromEntries(BROWSER.map((name) => [name, "readonly"])),
    },
    rules: {
      "no-undef": "error",
      "no-unused-vars": ["error", { args: "all", argsIgnorePattern: "^_" }],
      "no-var": "error",
      "prefer-const": ["error", { destructuring: "all" }],
      eqeqeq: "error",
      "no-shadow": "error",
      "no-redeclare": "error",
      "no-self-compare": "error",
      "no-unreachable": "error",
      "no-dupe-keys": "error",
      "no-duplicate-imports": "error",
      "no-implied-eval": "error",
      "no-eval": "error",
      "max-lines": ["error", 410],
      complexity: ["error", 16],
    },
  },
];
