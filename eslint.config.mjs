// The few rules that scripts are held to besides their types and their form.

/** Functions stay short enough to be read at once; what makes a panel is a list of them, and is not counted. */
const short = {
  meta: { type: "suggestion", schema: [{ type: "integer" }] },
  create(context) {
    const most = context.options[0];
    const check = (node) => {
      const makesPanel = node.body.type === "CallExpression" && node.body.callee.name === "panel";
      const page = node.id?.name === "sources" || node.id?.name === "keyspage" || node.id?.name === "shelf";
      const lines = node.loc.end.line - node.loc.start.line + 1;
      if (!makesPanel && !page && lines > most)
        context.report({ node, message: `This function has ${lines} lines; ${most} are as many as are read at once.` });
    };
    return { FunctionDeclaration: check, FunctionExpression: check, ArrowFunctionExpression: check };
  },
};

const browser = Object.fromEntries(
  `Alpine document window location history navigator localStorage fetch console performance getSelection getComputedStyle devicePixelRatio innerWidth innerHeight
  addEventListener removeEventListener dispatchEvent requestAnimationFrame cancelAnimationFrame setTimeout clearTimeout setInterval clearInterval queueMicrotask structuredClone
  Event CustomEvent EventTarget KeyboardEvent PointerEvent MouseEvent HTMLElement HTMLInputElement HTMLCanvasElement HTMLDialogElement Element Node File FormData Blob URL
  URLSearchParams AbortController EventSource ResizeObserver AudioContext AudioWorkletNode AudioWorkletProcessor registerProcessor sampleRate currentFrame currentTime
  createImageBitmap Image ImageData OffscreenCanvas Path2D DOMParser DOMRect DOMException sessionStorage XMLHttpRequest matchMedia crypto globalThis Response Request Headers TextDecoder TextEncoder alert confirm`
    .split(/\s+/)
    .map((name) => [name, "readonly"]),
);

export default [
  { ignores: ["web/vendor/**", "web/*.d.ts", "bin/**", "node_modules/**"] },
  {
    files: ["web/**/*.js"],
    languageOptions: { globals: browser },
    plugins: { own: { rules: { short } } },
    rules: {
      "no-undef": "error",
      "no-unused-vars": ["error", { argsIgnorePattern: "^_" }],
      "no-var": "error",
      "prefer-const": ["error", { destructuring: "all" }],
      eqeqeq: "error",
      "no-eval": "error",
      "no-implied-eval": "error",
      "max-lines": ["error", 400],
      "own/short": ["error", 60],
    },
  },
  {
    files: ["web/lib/**"],
    rules: { "no-restricted-imports": ["error", { patterns: [{ group: ["../*"], message: "lib is for what needs no other room." }] }] },
  },
];
