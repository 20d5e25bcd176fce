// The agent: one function that runs in each document before the page's own scripts (WebDriver BiDi,
// script.addPreloadScript). It gives the page a clock that the player moves, knows what is under way, finds the controls of
// the form, looks at all of them in one go, and types where real keys are not wanted.
//
// settings: {
//   clock: milliseconds since 1970-01-01T00:00Z, or null for real time,
//   armed: whether minlength counts after an edit by script, as after a person's,
//   fresh: whether what the origin has stored is cleared first,
//   run: names this load, so that a later document of it goes on where the clock stopped,
//   held: [{method, path, query}], the requests that the player answers,
//   map: where the form and its fields are (see "places"),
// }
// tell: a channel to the player, for what must be told before the document goes.
// Everything the player asks for is a method of the object at the end, `door`; what goes in and out is JSON.
(settings, tell) => {
  "use strict";
  const KEY = Symbol.for("idlefox.agent");
  if (window[KEY]) return;
  const id = `${Math.random()}`;

  // ---------------------------------------------------------------- what the page might change later, taken before it can
  const native = {
    Date, setTimeout: setTimeout.bind(window), performanceNow: performance.now.bind(performance),
    requestAnimationFrame: requestAnimationFrame.bind(window), fetch: window.fetch?.bind(window),
  };
  const channel = new MessageChannel();
  const awaited = [];
  channel.port1.onmessage = () => awaited.shift()();
  // A real task later: what was queued before has run.
  const nextTask = () => new Promise((resolve) => { awaited.push(resolve); channel.port2.postMessage(0); });
  const nextFrame = () => new Promise((resolve) => native.requestAnimationFrame(resolve));
  const later = (ms) => new Promise((resolve) => native.setTimeout(resolve, ms));
  const warnings = new Set();
  const pageErrors = [];
  const complain = (error) => (window.reportError ? window.reportError(error) : console.error(error));
  addEventListener("error", (event) => { if (event.message) pageErrors.push(String(event.message)); });
  addEventListener("unhandledrejection", (event) => { pageErrors.push(`unhandled rejection: ${event.reason?.message ?? event.reason}`); });

  const NOTE = "idlefox clock";
  const isLater = () => { try { return sessionStorage.getItem(NOTE)?.startsWith(`${settings.run} at `) ?? false; } catch { return false; } };
  if (settings.fresh && !isLater()) for (const storage of ["localStorage", "sessionStorage"]) try { window[storage].clear(); } catch { /* no storage here */ }

  // ---------------------------------------------------------------- the clock
  const MOST_NESTED = 5; // HTML, "timer initialization steps": deeper than this, a timer takes at least 4 ms
  const FREE_FRAMES = 4; // frames asked for by frames are due at once so many times in a row, then 16 ms apart
  const clock = (() => {
    try { const above = window.parent !== window ? window.parent[KEY]?.clock : null; if (above) return above; } catch { /* another origin */ }
    const start = settings.clock ?? 0;
    return {
      virtual: settings.clock !== null, now: start, start, number: 0, lastId: 0, timers: new Map(), frames: [], lastFrame: start,
      nesting: 0, frameDepth: 0, fired: 0, held: false, pumping: false,
    };
  })();
  try {
    const [run, at] = (sessionStorage.getItem(NOTE) ?? "").split(" at ");
    sessionStorage.removeItem(NOTE);
    if (clock.virtual && run && run === settings.run) clock.now = clock.lastFrame = +at;
  } catch { /* no storage here */ }
  addEventListener("pagehide", () => { try { if (clock.virtual) sessionStorage.setItem(NOTE, `${settings.run} at ${clock.now}`); } catch { /* no storage here */ } });

  const arm = (callback, delay, values, repeats) => {
    delay = Math.max(0, Math.trunc(+delay) || 0);
    const level = clock.nesting + 1;
    if (level > MOST_NESTED && delay < 4) delay = 4;
    const timer = { id: ++clock.lastId, due: clock.now + delay, delay, number: ++clock.number, callback, values, repeats, level, home: window };
    clock.timers.set(timer.id, timer);
    pump();
    return timer.id;
  };
  const disarm = (id) => { clock.timers.delete(+id); };
  const firstTimer = () => {
    let first = null;
    for (const timer of clock.timers.values()) {
      if (!first || timer.due < first.due || (timer.due === first.due && timer.number < first.number)) first = timer;
    }
    return first;
  };
  const fire = (timer) => {
    if (timer.home.closed || timer.home.document?.defaultView !== timer.home) { clock.timers.delete(timer.id); return; } // its frame is gone
    clock.now = Math.max(clock.now, timer.due);
    clock.fired++;
    if (timer.repeats) {
      const least = timer.level >= MOST_NESTED ? 4 : 1;
      Object.assign(timer, { due: clock.now + Math.max(timer.delay, least), number: ++clock.number, level: timer.level + 1 });
    } else clock.timers.delete(timer.id);
    clock.nesting = timer.level;
    endNesting();
    try {
      if (typeof timer.callback === "function") timer.callback.apply(timer.home, timer.values);
      else timer.home.eval(String(timer.callback));
    } catch (error) { complain(error); }
  };
  // The promises that a callback leads to still count as nested in it.
  const endNesting = () => { nextTask().then(() => { clock.nesting = clock.frameDepth = 0; }); };
  const frameDue = () => {
    let due = Infinity;
    for (const frame of clock.frames) due = Math.min(due, frame.depth <= FREE_FRAMES ? clock.now : Math.max(clock.now, clock.lastFrame + 16));
    return due;
  };
  const paint = () => {
    const frames = clock.frames;
    clock.frames = [];
    clock.lastFrame = clock.now;
    endNesting();
    for (const frame of frames) {
      if (frame.dropped) continue;
      clock.frameDepth = frame.depth;
      try { frame.callback(clock.now - clock.start); } catch (error) { complain(error); }
    }
  };
  const isDue = () => (firstTimer()?.due ?? Infinity) <= clock.now || frameDue() <= clock.now;
  const step = () => {
    const timer = firstTimer();
    if (timer && timer.due <= clock.now) fire(timer);
    else if (frameDue() <= clock.now) paint();
  };
  // The clock stands, but what is due now happens by itself, each timer as a task of its own.
  const pump = () => {
    if (clock.pumping || clock.held || !isDue()) return;
    clock.pumping = true;
    nextTask().then(() => { clock.pumping = false; if (!clock.held) { step(); pump(); } });
  };

  const put = (object, name, value) => Object.defineProperty(object, name, { value, writable: true, configurable: true });
  if (clock.virtual) {
    const PageDate = new Proxy(native.Date, {
      construct: (target, values, made) => Reflect.construct(target, values.length ? values : [clock.now], made === PageDate ? target : made),
      apply: (target) => new target(clock.now).toString(),
    });
    put(native.Date, "now", function now() { return clock.now; });
    put(native.Date.prototype, "constructor", PageDate);
    put(window, "Date", PageDate);
    put(Performance.prototype, "now", function now() { return clock.now - clock.start; });
    Object.defineProperty(Performance.prototype, "timeOrigin", { get: () => clock.start, configurable: true });
    Object.defineProperty(Event.prototype, "timeStamp", { get: () => clock.now - clock.start, configurable: true });
    put(window, "setTimeout", function setTimeout(callback, delay, ...values) { return arm(callback, delay, values, false); });
    put(window, "setInterval", function setInterval(callback, delay, ...values) { return arm(callback, delay, values, true); });
    put(window, "clearTimeout", function clearTimeout(id) { disarm(id); });
    put(window, "clearInterval", function clearInterval(id) { disarm(id); });
    put(window, "requestAnimationFrame", function requestAnimationFrame(callback) {
      clock.frames.push({ id: ++clock.lastId, callback, depth: clock.frameDepth + 1 });
      pump();
      return clock.lastId;
    });
    put(window, "cancelAnimationFrame", function cancelAnimationFrame(id) {
      clock.frames = clock.frames.filter((frame) => frame.id !== id || ((frame.dropped = true), false));
    });
    if (window.requestIdleCallback) {
      put(window, "requestIdleCallback", function requestIdleCallback(callback) { return arm(() => callback({ didTimeout: false, timeRemaining: () => 50 }), 1, [], false); });
      put(window, "cancelIdleCallback", function cancelIdleCallback(id) { disarm(id); });
    }
    if (AbortSignal.timeout) put(AbortSignal, "timeout", function timeout(ms) {
      const controller = new AbortController();
      arm(() => controller.abort(new DOMException("The operation timed out.", "TimeoutError")), ms, [], false);
      return controller.signal;
    });
    if (window.scheduler?.postTask) {
      const postTask = scheduler.postTask.bind(scheduler);
      put(scheduler, "postTask", (callback, options = {}) => (options.delay > 0
        ? new Promise((resolve, reject) => arm(() => postTask(callback, { ...options, delay: 0 }).then(resolve, reject), options.delay, [], false))
        : postTask(callback, options)));
    }
    const format = Object.getOwnPropertyDescriptor(Intl.DateTimeFormat.prototype, "format");
    Object.defineProperty(Intl.DateTimeFormat.prototype, "format", { configurable: true, get() { const own = format.get.call(this); return (date) => own(date ?? clock.now); } });
    const formatToParts = Intl.DateTimeFormat.prototype.formatToParts;
    put(Intl.DateTimeFormat.prototype, "formatToParts", function parts(date) { return formatToParts.call(this, date ?? clock.now); });
    if (window.Temporal) {
      const at = () => Temporal.Instant.fromEpochMilliseconds(clock.now);
      const zoned = (zone) => at().toZonedDateTimeISO(zone ?? Temporal.Now.timeZoneId());
      const answers = {
        instant: at, zonedDateTimeISO: zoned, plainDateTimeISO: (zone) => zoned(zone).toPlainDateTime(),
        plainDateISO: (zone) => zoned(zone).toPlainDate(), plainTimeISO: (zone) => zoned(zone).toPlainTime(),
      };
      for (const [name, answer] of Object.entries(answers)) put(Temporal.Now, name, answer);
    }
    const notOnTheClock = { Worker: "its clock is real, and what it does is not waited for", WebSocket: "what it brings is not waited for" };
    Object.assign(notOnTheClock, { SharedWorker: notOnTheClock.Worker, EventSource: notOnTheClock.WebSocket });
    for (const [name, why] of Object.entries(notOnTheClock)) {
      if (window[name]) window[name] = new Proxy(window[name], { construct(target, values) { warnings.add(`the page uses ${name}: ${why}`); return Reflect.construct(target, values); } });
    }
  }

  // ---------------------------------------------------------------- what is under way outside of the clock
  const waiters = [];
  const wake = () => { while (waiters.length) waiters.shift()(); };
  const something = (ms) => new Promise((resolve) => { waiters.push(resolve); native.setTimeout(resolve, ms); });
  let underWay = 0; // promises of the platform
  const awaitedFor = (promise) => { underWay++; const over = () => { underWay--; wake(); }; promise.then(over, over); return promise; };
  const count = (object, ...names) => {
    for (const name of names) {
      const method = object?.[name];
      if (typeof method === "function") object[name] = function (...values) { const found = method.apply(this, values); return found?.then ? awaitedFor(found) : found; };
    }
  };
  count(Response.prototype, "text", "json", "arrayBuffer", "blob", "formData", "bytes");
  count(Blob.prototype, "text", "arrayBuffer", "bytes");
  if (window.SubtleCrypto) count(SubtleCrypto.prototype, "digest", "sign", "verify", "encrypt", "decrypt", "deriveBits", "deriveKey", "importKey", "generateKey");
  if (window.FileReader) for (const name of ["readAsText", "readAsDataURL", "readAsArrayBuffer"]) {
    const method = FileReader.prototype[name];
    FileReader.prototype[name] = function (...values) { awaitedFor(new Promise((resolve) => this.addEventListener("loadend", resolve))); return method.apply(this, values); };
  }

  // Requests. Those that the player answers are listed with their virtual time; all others are waited for.
  const requests = [];
  let ended = false; // the scenario is over: nothing is sent any more
  const never = () => new Promise(() => {});
  let sequence = 0; // of presses, requests and answers, to tell which came first
  let pressed = 0, leaving = false;
  const fits = (method, url) => settings.held.some((held) => held.method === method && new RegExp(`^(?:${held.path})$`).test(url.pathname)
    && held.query.every((name) => url.searchParams.has(name)));
  const bodyOf = (body) => {
    if (typeof body === "string") return { body, type: "text/plain;charset=UTF-8" };
    if (body instanceof URLSearchParams) return { body: String(body), type: "application/x-www-form-urlencoded;charset=UTF-8" };
    if (body instanceof FormData && [...body.values()].every((value) => typeof value === "string")) return { body: String(new URLSearchParams([...body])), type: "application/x-www-form-urlencoded" };
    return null;
  };
  const begin = (method, address, body = null) => {
    const url = new URL(address, document.baseURI);
    const request = { id: requests.length, method: method.toUpperCase(), url: url.href.split("#")[0], at: clock.now, number: ++sequence, held: false, over: false, status: null };
    const written = bodyOf(body);
    if (written) Object.defineProperty(request, "written", { value: written });
    request.held = fits(request.method, url);
    requests.push(request);
    if (!request.held) underWay++;
    return request;
  };
  const end = (request, status) => {
    if (request.over) return;
    Object.assign(request, { over: true, status, number: ++sequence });
    if (!request.held) underWay--;
    nextTask().then(wake); // the page's own handlers run first
  };
  if (native.fetch) window.fetch = function fetch(input, options) {
    if (ended) return never();
    const method = options?.method ?? (input instanceof Request ? input.method : "GET");
    let request;
    try { request = begin(method, input instanceof Request ? input.url : String(input), options?.body); } catch { return native.fetch(input, options); }
    const type = input instanceof Request && input.body && !options?.body ? input.headers.get("content-type") ?? "" : "";
    if (/json|^text|urlencoded/.test(type)) Object.defineProperty(request, "written", { value: input.clone().text().then((body) => ({ body, type })) });
    const promise = native.fetch(input, options);
    promise.then((response) => end(request, response.status), () => end(request, 0));
    return promise;
  };
  const { open, send } = XMLHttpRequest.prototype;
  const opened = new WeakMap();
  XMLHttpRequest.prototype.open = function (method, url, ...rest) { opened.set(this, [method, url]); return open.call(this, method, url, ...rest); };
  XMLHttpRequest.prototype.send = function (...values) {
    if (ended) return undefined;
    const request = begin(...opened.get(this) ?? ["GET", ""], values[0]);
    this.addEventListener("loadend", () => end(request, this.status));
    return send.apply(this, values);
  };
  // A form that the browser sends itself: the document will be another one.
  const goes = (form, submitter) => {
    const method = (submitter?.getAttribute("formmethod") ?? form.getAttribute("method") ?? "get").toLowerCase();
    const target = submitter?.getAttribute("formtarget") ?? form.getAttribute("target") ?? "";
    if (method !== "dialog" && ["", "_self", "_top", "_parent"].includes(target)) leaving = true;
    try { tell?.(JSON.stringify(bodyOf(new URLSearchParams([...new FormData(form, submitter)].map(([name, value]) => [name, typeof value === "string" ? value : value.name]))))); } catch { /* there is no telling */ }
  };
  addEventListener("submit", (event) => { if (!event.defaultPrevented) goes(event.target, event.submitter); });
  const submitForm = HTMLFormElement.prototype.submit;
  HTMLFormElement.prototype.submit = function () { goes(this, null); return submitForm.call(this); };
  addEventListener("click", (event) => {
    const link = event.composedPath().find((node) => node.localName === "a" && node.href);
    if (link && !event.defaultPrevented && !link.target && link.href.split("#")[0] !== location.href.split("#")[0]) leaving = true;
  });
  addEventListener("click", (event) => {
    const button = event.composedPath().find((node) => /^(button|input)$/.test(node.localName) || node.getAttribute?.("role") === "button");
    if (button && (button === submitButton() || (/^(submit|image)$/.test(button.type) && button.form))) pressed = ++sequence;
  }, true);
  addEventListener("submit", (event) => { if (!event.submitter) pressed = ++sequence; }, true);

  // ---------------------------------------------------------------- what changes; closed shadow roots are seen, too
  const roots = new Set();
  const closedRoots = new WeakMap();
  const formElements = new Set(); // names of form-associated custom elements
  let changes = 0;
  const observer = new MutationObserver((records) => { changes += records.length; });
  const observe = (root) => { roots.add(root); observer.observe(root, { subtree: true, childList: true, attributes: true, characterData: true }); };
  observe(document);
  const attachShadow = Element.prototype.attachShadow;
  Element.prototype.attachShadow = function (options) { const root = attachShadow.call(this, options); closedRoots.set(this, root); observe(root); return root; };
  const define = CustomElementRegistry.prototype.define;
  CustomElementRegistry.prototype.define = function (name, made, options) { if (made.formAssociated) formElements.add(name); return define.call(this, name, made, options); };
  const rootOf = (host) => host.shadowRoot ?? closedRoots.get(host) ?? null;

  // ---------------------------------------------------------------- rest
  // No promise of the platform on its way, nothing due now, and two real tasks in a row in which nothing changed.
  const MOST_TASKS = 400;
  const rest = async () => {
    let still = 0, before = "";
    const began = native.performanceNow();
    for (let tasks = 0; tasks < MOST_TASKS && still < 2; tasks++) {
      await nextTask();
      if (native.performanceNow() - began > 2000 && !underWay) return false;
      if (underWay) { still = 0; if (tasks > 20) await something(2); continue; }
      const now = [changes, clock.number, clock.fired, requests.length, sequence].join("/");
      still = now === before && !(clock.virtual && !clock.held && isDue()) ? still + 1 : 0;
      before = now;
      if (still === 1 && endAnimations()) { await nextFrame(); await nextFrame(); still = 0; } // their events come with a real frame
    }
    return still >= 2;
  };
  // Transitions and animations that end take no time: no check depends on their pace.
  const endAnimations = () => {
    let ended = 0;
    if (clock.virtual) for (const animation of document.getAnimations()) {
      if (animation.playState !== "running" || animation.effect?.getComputedTiming().endTime === Infinity) continue;
      try { animation.finish(); ended++; } catch { /* it has no end */ }
    }
    return ended;
  };
  const oneShots = new Map(); // in real time, timers are counted, so that `settle` can wait for them
  if (!clock.virtual) {
    const { setTimeout: set, clearTimeout: clear } = window;
    window.setTimeout = function setTimeout(callback, delay, ...values) {
      const id = set.call(window, (...given) => { oneShots.delete(id); if (typeof callback === "function") callback.apply(window, given); else (0, eval)(String(callback)); nextTask().then(wake); }, delay, ...values);
      oneShots.set(id, Math.max(0, +delay || 0));
      return id;
    };
    window.clearTimeout = function clearTimeout(id) { oneShots.delete(id); clear.call(window, id); };
  }

  // Time goes on to *target*, one moment after the other, never past a request that the player has not heard of (*known*: how
  // many it has) nor past an answer that it has given and that has not arrived (*open*: the requests it still holds).
  // Says why it stopped.
  const MOST_TIMERS = 20000;
  const run = async ({ target = clock.now, known = 0, open = [], left = false }) => {
    const began = native.performanceNow();
    for (let fired = 0; ; ) {
      const rested = await rest();
      if (leaving && !left) return state("leaving");
      if (requests.length > known) return state("request");
      if (requests.some((request) => request.held && !request.over && !open.includes(request.id))) {
        if (native.performanceNow() - began > 5000) return state("network");
        await something(50);
        continue;
      }
      if (underWay) {
        if (native.performanceNow() - began > 10000) return state("restless");
        await something(20);
        continue;
      }
      if (!rested) {
        if (native.performanceNow() - began > 3000) return state("restless");
        continue;
      }
      if (!clock.virtual) return state("quiet");
      const next = Math.min(firstTimer()?.due ?? Infinity, frameDue());
      if (next > target) {
        clock.now = Math.max(clock.now, target);
        return state("quiet");
      }
      if (++fired > MOST_TIMERS) return state("restless");
      clock.now = Math.max(clock.now, next);
      clock.held = true;
      try { step(); } finally { clock.held = false; }
      pump();
    }
  };
  let toldRequests = 0;
  const state = (why) => {
    const fresh = requests.slice(toldRequests);
    toldRequests = requests.length;
    const timers = clock.virtual ? [...clock.timers.values()].filter((timer) => !timer.repeats).map((timer) => [timer.due, timer.delay])
      : [...oneShots.values()].map((delay) => [0, delay]);
    return {
      document: id, why, now: clock.virtual ? clock.now : null, next: clock.virtual ? Math.min(firstTimer()?.due ?? Infinity, frameDue()) : null,
      timers, requests: fresh, known: requests.length, over: requests.filter((request) => request.held && request.over).map((request) => request.id),
    };
  };

  // ---------------------------------------------------------------- roles and names (ARIA in HTML; Accessible Name and Description)
  const plain = (text) => (text ?? "").replace(/[\s\u00a0]+/g, " ").trim();
  const byId = (element, id) => { const root = element.getRootNode(); return root.getElementById ? root.getElementById(id) : document.getElementById(id); };
  const REFLECTED = { "aria-errormessage": "ariaErrorMessageElements", "aria-describedby": "ariaDescribedByElements", "aria-labelledby": "ariaLabelledByElements", "aria-controls": "ariaControlsElements", "aria-owns": "ariaOwnsElements" };
  const referred = (element, attribute) => {
    const ids = element.getAttribute(attribute);
    if (ids) return ids.split(/\s+/).map((id) => byId(element, id)).filter(Boolean);
    return [...(element[REFLECTED[attribute]] ?? [])];
  };
  const INPUT_ROLES = {
    text: "textbox", email: "textbox", tel: "textbox", url: "textbox", search: "searchbox", number: "spinbutton", range: "slider",
    checkbox: "checkbox", radio: "radio", button: "button", submit: "button", reset: "button", image: "button",
  };
  const ELEMENT_ROLES = { textarea: "textbox", button: "button", fieldset: "group", output: "status", dialog: "dialog", form: "form", option: "option", progress: "progressbar" };
  const roleOf = (element) => {
    const given = element.getAttribute("role")?.trim().split(/\s+/)[0];
    if (given) return given;
    if (element.localName === "input") {
      const role = INPUT_ROLES[element.type] ?? "";
      if (element.type === "checkbox" && element.hasAttribute("switch")) return "switch";
      return element.hasAttribute("list") && /^(textbox|searchbox)$/.test(role) ? "combobox" : role;
    }
    if (element.localName === "select") return element.multiple || element.size > 1 ? "listbox" : "combobox";
    if (element.localName === "a") return element.hasAttribute("href") ? "link" : "";
    return ELEMENT_ROLES[element.localName] ?? "";
  };
  // The text of a label: without hidden parts and without the controls in it.
  const textOf = (node, without) => {
    let text = "";
    for (const child of node.childNodes) {
      if (child.nodeType === Node.TEXT_NODE) text += child.data;
      if (child.nodeType !== Node.ELEMENT_NODE || child === without) continue;
      if (/^(select|textarea|input|script|style|template)$/.test(child.localName) || child.getAttribute("aria-hidden") === "true") continue;
      if (child.checkVisibility?.() === false) continue;
      text += child.localName === "br" ? " " : child.getAttribute("aria-label") ?? (child.localName === "img" ? child.alt : textOf(child, without));
    }
    return text;
  };
  const nameOf = (element) => {
    const by = referred(element, "aria-labelledby");
    if (by.length) return plain(by.map((label) => label.getAttribute("aria-label") ?? textOf(label, element)).join(" "));
    const given = plain(element.getAttribute("aria-label"));
    if (given) return given;
    if (element.labels?.length) return plain([...element.labels].map((label) => textOf(label, element)).join(" "));
    const legend = element.localName === "fieldset" && element.querySelector(":scope > legend");
    if (legend) return plain(textOf(legend));
    if (element.localName === "input" && /^(submit|reset|button)$/.test(element.type)) return plain(element.value) || { submit: "Submit", reset: "Reset" }[element.type] || "";
    if (/^(button|link|option|radio|checkbox|switch|heading|tab|menuitem)$/.test(roleOf(element))) {
      const own = plain(textOf(element));
      if (own) return own;
    }
    return plain(element.getAttribute("title")) || plain(element.getAttribute("placeholder"));
  };
  // A label may carry marks that are no part of what the field is called.
  const bare = (name) => plain(name).replace(/\s*(\((required|optional)\)|[*:])+$/i, "");

  // ---------------------------------------------------------------- finding
  const CONTROLS = "input,select,textarea,button,fieldset,output,form,a[href],[role],[contenteditable]";
  const holds = (scope, element) => { for (let node = element; node; node = node.getRootNode().host) if (scope.contains(node)) return true; return false; };
  const all = (scope, selector) => {
    const found = [...scope.querySelectorAll(selector)];
    for (const root of roots) if (root !== document && root !== scope && root.host?.isConnected && holds(scope, root.host)) found.push(...root.querySelectorAll(selector));
    return found;
  };
  // A form owns controls that stand elsewhere, and not those that say they are another's.
  const controlsOf = (scope, selector) => {
    const found = all(scope, selector);
    if (scope.localName !== "form") return found;
    const far = [...scope.elements].filter((element) => !scope.contains(element));
    return [...found.filter((element) => !element.form || element.form === scope), ...far];
  };
  // The controls of a scope by their names and labels; made when they are asked for, and for one look only.
  class Index {
    constructor(scope) { this.scope = scope; this.controls = controlsOf(scope, formElements.size ? `${CONTROLS},${[...formElements].join(",")}` : CONTROLS); }
    get names() {
      if (!this.byName) { this.byName = new Map(); for (const element of this.controls) add(this.byName, element.getAttribute("name"), element); }
      return this.byName;
    }
    get labels() {
      if (!this.byLabel) { this.byLabel = new Map(); for (const element of this.controls) add(this.byLabel, bare(nameOf(element)), element); }
      return this.byLabel;
    }
    // *what*: {css} or {role, name}
    find(what) {
      if (what.css !== undefined) return all(this.scope, what.css);
      if (what.role === "progressbar") return all(this.scope, "progress,[role=progressbar]");
      const named = what.name !== undefined ? this.labels.get(bare(what.name)) ?? [] : this.controls;
      return what.role ? named.filter((element) => roleOf(element) === what.role) : named;
    }
  }
  const add = (map, key, value) => { if (!key) return; if (map.has(key)) map.get(key).push(value); else map.set(key, [value]); };
  const isControl = (element) => element.localName !== "button" && element.localName !== "form" && element.localName !== "a" && roleOf(element) !== "button";
  // How a name attribute may write an address.
  const writings = (segments) => {
    let dots = "", brackets = "", mixed = "";
    for (const segment of segments) {
      const number = typeof segment === "number";
      mixed += number ? `[${segment}]` : mixed ? `.${segment}` : segment;
      dots += dots ? `.${segment}` : segment;
      brackets += brackets ? `[${segment}]` : segment;
    }
    return [mixed, brackets, dots, String(segments.at(-1))];
  };
  const GROUPS = "fieldset,[role=group],[role=radiogroup],li,[role=listitem],tr,[role=row]";
  // The elements of one field: by the map, else by its name attribute, else by its label.
  const elementsOf = (field, segments, index) => {
    if (field.find) return membersOf(index.find(field.find), field);
    if (field.named) {
      const same = (index.names.get(field.named) ?? []).filter(isControl);
      return field.nth === undefined ? membersOf(same, field) : same.slice(field.nth, field.nth + 1);
    }
    for (const name of field.send ? [field.send, ...writings(segments)] : writings(segments)) {
      const found = (index.names.get(name) ?? []).filter(isControl);
      if (found.length) return membersOf(found, field);
    }
    const own = byId(index.scope.nodeType === Node.DOCUMENT_NODE ? document.documentElement : index.scope, writings(segments)[0]);
    if (own && isControl(own) && holds(index.scope, own)) return membersOf([own], field);
    return membersOf((index.labels.get(bare(field.label)) ?? []).filter(isControl), field);
  };
  // A custom element with one control in its shadow root is that control.
  const innerOf = (element) => {
    const root = element.localName.includes("-") ? rootOf(element) : null;
    const inside = root ? all(root, CONTROLS).filter((each) => isControl(each) && INTERACTIVE.test(roleOf(each))) : [];
    return inside.length === 1 ? inside[0] : element;
  };
  const INTERACTIVE = /^(textbox|searchbox|spinbutton|slider|combobox|listbox|checkbox|switch|radio|radiogroup)$/;
  // Of a choice drawn as several controls, those; what stands around them carries its name.
  const membersOf = (controls, field) => {
    const found = controls.map(innerOf);
    if (!field.set || !found.length) return found;
    const inside = found.flatMap((element) => (/^(group|radiogroup)$/.test(roleOf(element)) ? all(element, "input[type=radio],input[type=checkbox],[role=radio],[role=checkbox]") : [element]));
    return inside.length === 1 && /^(radio|checkbox)$/.test(inside[0].type) ? siblingsOf(inside[0]) : inside.length ? inside : found;
  };
  // All of a choice of which one control was found: those of its name, else those in its group.
  const siblingsOf = (element) => {
    const same = element.name ? all(element.form ?? document, `input[type=${element.type}]`).filter((other) => other.name === element.name)
      : all(element.closest("fieldset,[role=group],[role=radiogroup]") ?? document.createDocumentFragment(), `input[type=${element.type}]`);
    return same.length ? same : [element];
  };
  // The groups that hold a row each: the nearest one around each of the first field's controls that has the others, too.
  const rowsOf = (field, segments, scope, index) => {
    if (field.rows) return index.find(field.rows);
    const children = Object.entries(field.fields).filter(([, child]) => !child.fields);
    const matches = (group) => children.filter(([name, child]) => elementsOf(child, [...segments, 0, name], new Index(group)).length).length;
    let best = [], most = 0;
    const groups = all(scope, GROUPS).filter((group) => !/^(radiogroup)$/.test(roleOf(group)));
    for (const group of groups) {
      if (group === scope || groups.some((inner) => inner !== group && group.contains(inner) && matches(inner) === matches(group))) continue;
      const found = matches(group);
      if (found > most) { best = [group]; most = found; } else if (found && found === most) best.push(group);
    }
    return best;
  };

  // Every place of the form on the page now: {address, field, elements, scope, kind}, kind one of field, rows, row, group.
  const EMPTY = document.createDocumentFragment();
  const map = settings.map;
  const formOf = () => {
    if (map.form) return new Index(document).find(map.form)[0] ?? EMPTY;
    return document.querySelector("form,[role=form]") ?? document.body ?? EMPTY;
  };
  const written = (segments) => segments.reduce((text, segment) => (typeof segment === "number" ? `${text}[${segment}]` : text ? `${text}.${segment}` : segment), "");
  const places = function* (wanted = null) {
    yield* placesIn(formOf(), map.fields, [], wanted);
  };
  const placesIn = function* (scope, fields, around, wanted) {
    let index = null;
    for (const [name, field] of Object.entries(fields)) {
      const segments = [...around, name], address = written(segments);
      if (wanted && !wanted.some((each) => each === address || each.startsWith(`${address}.`) || each.startsWith(`${address}[`))) continue;
      index ??= new Index(scope);
      if (field.kind === "rows") {
        const box = groupOf(field, index) ?? scope;
        const rows = rowsOf(field, segments, box, box === scope ? index : new Index(box));
        yield { kind: "rows", address, field, elements: rows, scope: box };
        for (const [number, row] of rows.entries()) {
          yield { kind: "row", address: `${address}[${number}]`, field, elements: [row], scope: row };
          yield* placesIn(row, field.fields, [...segments, number], wanted);
        }
      } else if (field.kind === "panel") {
        const box = dialogOf(field);
        const open = box !== null && isShown(box);
        yield { kind: "panel", address, field, elements: open ? [box] : [], scope: box ?? EMPTY };
        if (open) yield* placesIn(box, field.fields, segments, wanted);
      } else if (field.kind === "group") {
        const box = groupOf(field, index);
        yield { kind: "group", address, field, elements: box ? [box] : [], scope: box ?? scope };
        yield* placesIn(box ?? scope, field.fields, segments, wanted);
      } else yield { kind: "field", address, field, elements: elementsOf(field, segments, index), scope };
    }
  };
  const groupOf = (field, index) => (field.find ? index.find(field.find) : index.labels.get(bare(field.label)) ?? []).find((element) => /^(group|region|list|table|rowgroup|radiogroup)$/.test(roleOf(element)) || element.localName === "section") ?? null;
  // A panel is a dialog that is called as it is (WAI-ARIA, "dialog").
  const dialogOf = (field) => (field.find ? new Index(document).find(field.find) : all(document, "dialog,[role=dialog],[role=alertdialog]").filter((element) => bare(nameOf(element)) === bare(field.label)))[0] ?? null;
  // What opens it says so (aria-controls, commandfor, popovertarget, aria-haspopup), else is called as it is.
  const openButton = (place) => {
    if (place.field.open) return new Index(document).find(place.field.open)[0] ?? null;
    const buttons = new Index(document).controls.filter((element) => roleOf(element) === "button" && !place.scope.contains(element) && isSeen(element));
    const leads = (element) => ["aria-controls", "commandfor", "popovertarget"].some((name) => place.scope.id && element.getAttribute(name) === place.scope.id);
    const label = bare(place.field.label), says = (element) => bare(nameOf(element)).includes(label);
    const found = [buttons.filter(leads), buttons.filter((element) => element.getAttribute("aria-haspopup") === "dialog" && says(element)), buttons.filter(says)].find((some) => some.length === 1);
    return found ? found[0] : null;
  };
  const closeButton = (place) => {
    if (place.field.close) return new Index(place.scope).find(place.field.close)[0] ?? null;
    return all(place.scope, "[formmethod=dialog],[command=close],[command=request-close],form[method=dialog] button,[popovertargetaction=hide]")[0] ?? null;
  };
  const panelButton = (address) => {
    const place = placeOf(address);
    const found = place ? all(place.scope, "button,input[type=submit],input[type=image],[role=button]").filter(isShown) : [];
    return found.find((element) => nameOf(element) === place.field.submitLabel) ?? found.find((element) => element.type === "submit" && element !== closeButton(place)) ?? null;
  };
  // An address with each row counted from the front.
  const counted = (address) => {
    for (let match; (match = /^(.*?)\[-(\d+)\]/.exec(address)); ) {
      const count = placeOf(match[1])?.elements.length ?? 0;
      address = `${match[1]}[${Math.max(0, count - match[2])}]${address.slice(match[0].length)}`;
    }
    return address;
  };
  const placeOf = (given) => {
    const address = counted(given);
    for (const place of places([address])) if (place.address === address) return place;
    return null;
  };
  const submitButton = () => {
    const scope = formOf();
    if (map.submit) return new Index(document).find(map.submit)[0] ?? null;
    // Of several, the one that the sheet calls so; what nobody sees is there for Enter alone.
    const all = [...scope.querySelectorAll("button,input[type=submit],input[type=image]")].filter((button) => button.type === "submit" || button.type === "image");
    const shown = all.filter(isShown);
    return shown.find((button) => map.submitLabel && nameOf(button) === map.submitLabel) ?? shown[0] ?? all[0]
      ?? (map.submitLabel ? new Index(document).find({ role: "button", name: map.submitLabel })[0] : null) ?? null;
  };
  const buttonOf = (button) => (button.panel ? panelButton(button.panel) : button.kind ? otherButton(button.kind) : button.named ? namedButton(button.named) : submitButton());
  // By its text or label, else by its name or id.
  const namedButton = (name) => new Index(document).find({ role: "button", name })[0]
    ?? all(document, "button,input,[role=button]").find((each) => roleOf(each) === "button" && (each.getAttribute("name") === name || `#${each.id}` === name)) ?? null;
  const otherButton = (kind) => {
    if (kind === "reset") return formOf().querySelector?.("button[type=reset],input[type=reset]") ?? null;
    for (const notice of noticesOf(new Set())) if (isShown(notice)) for (const button of new Index(notice).controls) if (roleOf(button) === "button") return button;
    return null;
  };
  const noticesOf = (claimed) => (map.notice ? new Index(document).find(map.notice) : all(document, "[role=status],[role=alert],output,dialog[open]").filter((element) => (roleOf(element) !== "alert" || !formOf().contains(element))
    && !claimed.has(element) && ![...claimed].some((other) => element.contains(other))));
  const addButton = (place) => {
    if (place.field.add) return new Index(document).find(place.field.add)[0] ?? null;
    const outside = new Index(place.scope).controls.filter((element) => roleOf(element) === "button" && element !== submitButton() && !place.elements.some((row) => row.contains(element)));
    return outside.length === 1 ? outside[0] : null;
  };
  const removeButton = (place) => {
    const inside = place.field.remove ? new Index(place.scope).find(place.field.remove) : new Index(place.scope).controls.filter((element) => roleOf(element) === "button");
    return inside.length === 1 ? inside[0] : null;
  };

  // ---------------------------------------------------------------- looking
  const isShown = (element) => {
    if (!element.isConnected || (element.localName === "input" && element.type === "hidden")) return false;
    if (!element.checkVisibility({ visibilityProperty: true, contentVisibilityAuto: true })) return false;
    return element.getClientRects().length > 0;
  };
  // A control drawn by its label alone is there for a person, too.
  const isSeen = (element) => (isShown(element) || (/^(checkbox|radio|file)$/.test(element.type) && [...(element.labels ?? [])].some(isShown))) && !isInert(element);
  const isInert = (element) => { for (let node = element; node; node = node.parentElement ?? node.getRootNode().host) if (node.inert || node.getAttribute?.("aria-hidden") === "true") return true; return false; };
  const isOff = (element) => element.matches(":disabled") || element.disabled === true || element.closest("[aria-disabled=true]") !== null;
  const isReadonly = (element) => element.readOnly === true || element.getAttribute("aria-readonly") === "true";
  const isTrue = (element, attribute) => !["", "false", null].includes(element.getAttribute(attribute));
  const activeElement = () => {
    let active = document.activeElement;
    while (active && rootOf(active)?.activeElement) active = rootOf(active).activeElement;
    return active === document.body || active === document.documentElement ? null : active;
  };
  // The messages that an element holds: its list items, its paragraphs, or its text.
  const messagesIn = (element) => {
    if (!plain(element.textContent) || !isShown(element)) return [];
    const items = [...element.querySelectorAll("li")];
    const blocks = element.childElementCount > 1 && [...element.children].every((child) => /^(p|div)$/.test(child.localName)) ? [...element.children] : [];
    const parts = items.length ? items : blocks.length ? blocks : [element];
    return parts.filter(isShown).map((part) => plain(part.innerText)).filter(Boolean);
  };
  const isLoud = (element) => element.closest("[role=alert],[aria-live=assertive],[aria-live=polite]") !== null;
  const hints = new WeakMap(); // descriptions that were there at load: hints, no messages
  const noteHints = () => {
    for (const element of all(document, "[aria-describedby]")) {
      if (isTrue(element, "aria-invalid")) continue;
      for (const description of referred(element, "aria-describedby")) if (!hints.has(description) && isShown(description)) hints.set(description, plain(description.innerText));
    }
  };
  let bubble = null; // the browser's own text at a refused submission
  addEventListener("invalid", (event) => {
    const control = event.target;
    nextTask().then(() => { if (!event.defaultPrevented && control.form && !control.form.noValidate && !bubble && activeElement() === control) bubble = { control, text: control.validationMessage }; });
  }, true);
  for (const type of ["input", "blur", "change"]) addEventListener(type, (event) => { if (bubble && event.composedPath()[0] === bubble.control) bubble = null; }, true);

  const messagesOf = (place, claimed) => {
    const found = [], seen = new Set();
    const take = (element, sure) => {
      if (!element || seen.has(element)) return;
      seen.add(element);
      claimed?.add(element);
      if (sure || hints.get(element) !== plain(element.innerText)) found.push(...messagesIn(element));
    };
    const { field, elements, scope } = place;
    if (field.shows) {
      const around = place.kind === "field" ? scope : place.elements[0] ?? scope;
      for (const element of new Index(around).find(field.shows).concat(around === document ? [] : new Index(document).find(field.shows))) take(element, true);
      return found;
    }
    const holders = place.kind === "field" ? (elements.length > 1 ? [elements[0].closest("fieldset,[role=radiogroup],[role=group]"), ...elements] : elements) : place.kind === "rows" ? [place.scope] : elements;
    for (const holder of holders) {
      if (!holder?.getAttribute) continue;
      const wrong = isTrue(holder, "aria-invalid");
      if (wrong || isTrue(elements[0] ?? holder, "aria-invalid")) for (const element of referred(holder, "aria-errormessage")) take(element, true);
      for (const element of referred(holder, "aria-describedby")) if (wrong || isLoud(element) || hints.get(element) !== plain(element.innerText)) take(element, isLoud(element));
    }
    if (bubble && elements.includes(bubble.control)) found.push(bubble.text);
    return found;
  };
  // Alerts in a group that no field of it has claimed are the group's own; a lone field's group is its wrapper.
  const alertsOf = (place, claimed) => {
    if (place.kind === "field" && place.elements.length < 2) return [];
    const box = place.kind === "field" ? place.elements[0].closest("fieldset,[role=radiogroup],[role=group]") : place.kind === "rows" ? place.scope : place.elements[0];
    if (!box || box === formOf() || box === document.body) return [];
    const found = [];
    for (const alert of all(box, "[role=alert]")) {
      if (claimed.has(alert) || [...claimed].some((other) => alert.contains(other) || other.contains(alert))) continue;
      if (place.kind === "rows" && place.elements.some((row) => row.contains(alert))) continue;
      claimed.add(alert);
      found.push(...messagesIn(alert));
    }
    return found;
  };

  // Messages by place: visible texts that no other source has claimed. *known*: which texts were there at load.
  const NO_MESSAGE = "label,legend,button,option,select,textarea,script,style,template,title,datalist,[role=button],[role=option],[contenteditable],[role=alert],[role=status],output,dialog[open]";
  const ownText = (element) => { let text = ""; for (const child of element.childNodes) if (child.nodeType === Node.TEXT_NODE) text += child.data; return plain(text); };
  const above = (element) => element.parentElement ?? element.getRootNode().host ?? null;
  const patterns = new Map();
  const isSaid = (field, text) => (field.says ?? []).some((source) => {
    if (!patterns.has(source)) patterns.set(source, new RegExp(`^(?:${source})$`, "s"));
    return patterns.get(source).test(text);
  });
  // Of the elements of several fields, the field (its place) that *element* is next to: alone in the smallest part of the page
  // that has any control, else the one before it, else the one after it.
  const nearestTo = (element, owners, scope) => {
    for (let node = above(element), from = element; node; from = node, node = above(node)) {
      const inside = new Set([...owners].filter(([control]) => holds(node, control)).map(([, place]) => place));
      if (inside.size === 1) return [...inside].filter(Boolean);
      if (inside.size) {
        // Only a control that stands beside the text itself, not in a separate part.
        const order = [...owners].filter(([control]) => above(control) === node || (above(control)?.localName === "label" && above(above(control)) === node));
        const before = order.filter(([control]) => from.compareDocumentPosition(control) & Node.DOCUMENT_POSITION_PRECEDING).at(-1);
        const after = order.find(([control]) => from.compareDocumentPosition(control) & Node.DOCUMENT_POSITION_FOLLOWING);
        return [before?.[1], after?.[1]].filter(Boolean);
      }
      if (node === scope) return [];
    }
    return [];
  };
  const byPlace = (found, spots, claimed, scope) => {
    if (!spots.some((place) => place.field.says)) return [];
    const own = [], owners = new Map(), taken = new Set(claimed);
    for (const element of new Index(scope).controls) if (isControl(element) && INTERACTIVE.test(roleOf(element)) && isSeen(element)) owners.set(element, null);
    for (const place of spots) for (const element of place.elements) if (place.kind === "field") owners.set(element, place);
    const isTaken = (element) => { for (let node = element; node; node = above(node)) if (taken.has(node)) return true; return false; };
    for (const element of all(scope, "*")) {
      const direct = ownText(element);
      if (!direct || element.closest(NO_MESSAGE) || isTaken(element)) continue;
      const texts = [plain(element.textContent), direct];
      const said = texts.find((text) => spots.some((place) => isSaid(place.field, text)));
      if (said === undefined || !isShown(element) || isInert(element)) continue;
      taken.add(element);
      const around = spots.filter((place) => place.kind !== "field" && place.kind !== "row" && isSaid(place.field, said));
      const at = nearestTo(element, owners, scope).find((place) => isSaid(place.field, said))
        ?? around.findLast((place) => holds(place.elements[0] ?? place.scope, element)) ?? (around.length === 1 ? around[0] : null);
      const shows = at ? (at.kind === "field" ? found.fields : at.kind === "rows" ? found.rows : found.groups)[at.address]?.shows : own;
      if (shows && !shows.includes(said)) shows.push(said);
    }
    return own;
  };

  const kindOf = (elements, field) => {
    const element = elements[0], role = roleOf(element);
    if (element.localName === "input") return element.type === "checkbox" && (elements.length > 1 || field.set) ? "checks" : element.type;
    if (element.localName === "select") return element.multiple ? "selects" : "select";
    if (role === "checkbox" || role === "switch") return elements.length > 1 || field.set ? "checks" : "switch";
    if (role === "radio") return "radio";
    if (role === "spinbutton" || role === "slider") return "ranged";
    if (role === "listbox" && element.value === undefined) return "listbox";
    if (element.isContentEditable) return "editable";
    return element.localName;
  };
  const isChecked = (element) => element.checked ?? element.getAttribute("aria-checked") === "true";
  const valueOfOption = (option) => option.getAttribute("data-value") ?? option.getAttribute("value") ?? (option.localName === "option" ? option.value : nameOf(option) || plain(option.textContent));
  const valueOf = (elements, kind) => {
    const element = elements[0];
    switch (kind) {
      case "checkbox": case "switch": return isChecked(element);
      case "radio": { const chosen = elements.find(isChecked); return chosen ? valueOfOption(chosen) : null; }
      case "checks": return elements.filter(isChecked).map(valueOfOption);
      case "select": return element.selectedIndex < 0 ? null : element.value;
      case "selects": return [...element.selectedOptions].map((option) => option.value);
      case "listbox": { const chosen = all(element, "[role=option][aria-selected=true]").map(valueOfOption); return element.getAttribute("aria-multiselectable") === "true" ? chosen : chosen[0] ?? null; }
      case "file": return [...element.files].map((file) => ({ name: file.name, size: file.size, type: file.type }));
      case "ranged": return element.value !== undefined ? String(element.value) : element.getAttribute("aria-valuenow") ?? plain(element.textContent);
      case "editable": return element.innerText.replace(/\n$/, "");
      default: return element.value ?? plain(element.textContent);
    }
  };
  // What a choice offers: [value, label, enabled].
  const popupOf = (element) => referred(element, "aria-controls")[0] ?? referred(element, "aria-owns")[0] ?? element.list ?? element;
  const optionsOf = (elements, kind) => {
    const element = elements[0];
    if (kind === "radio" || kind === "checks") return elements.filter(isSeen).map((each) => [valueOfOption(each), nameOf(each), !isOff(each)]);
    if (element.localName === "select") return [...element.options].filter((option) => !option.hidden).map((option) => [option.value, plain(option.label), !option.disabled && !option.parentElement.disabled]);
    return all(popupOf(element), "[role=option],option").map((option) => [valueOfOption(option), plain(option.textContent) || plain(option.label), !isOff(option)]);
  };
  const flagsOf = (element) => { const flags = []; for (const flag in element.validity) if (flag !== "valid" && element.validity[flag]) flags.push(flag); return flags.sort(); };
  const bears = (elements, mark) => elements.some((element) => element.matches(mark.css) || [...element.querySelectorAll(mark.css)].length > 0)
    || (elements[0]?.parentElement?.matches(mark.css) ?? false);

  // HTML, "user validity": a browser may take edits by script for none of a person's, and so never set it.
  const edited = new WeakSet(), committed = new WeakSet();
  addEventListener("change", (event) => { const control = event.composedPath()[0]; if (edited.has(control)) committed.add(control); }, true);
  addEventListener("reset", (event) => { for (const control of event.target.elements) { edited.delete(control); committed.delete(control); } });
  const isUserInvalid = (element) => element.matches(":user-invalid") || (committed.has(element) && element.willValidate && !element.validity.valid);

  const lookAt = (place, active, claimed) => {
    const { field, elements } = place;
    if (!elements.length) return null;
    const element = elements[0], kind = kindOf(elements, field);
    const around = elements.length > 1 ? element.closest("fieldset,[role=radiogroup],[role=group]") : null;
    const holders = around ? [around, ...elements] : elements;
    const judged = elements.some((each) => each.validity && each.willValidate);
    return {
      kind, count: elements.length, value: valueOf(elements, kind), shows: [...messagesOf(place, claimed), ...alertsOf(place, claimed)],
      visible: elements.some(isSeen), enabled: !elements.every(isOff), readonly: isReadonly(element), focused: elements.includes(active),
      required: holders.some((each) => each.required === true || each.getAttribute("aria-required") === "true"),
      marked: holders.some((each) => isTrue(each, "aria-invalid")) || (map.native && elements.some(isUserInvalid)),
      busy: holders.some((each) => each.closest("[aria-busy=true]")?.matches("form,body") === false) || (field.asking ? new Index(place.scope).find(field.asking).some(isShown) : false),
      touched: field.touched ? bears(elements, field.touched) : null, dirty: field.dirty ? bears(elements, field.dirty) : null,
      flags: judged ? [...new Set(elements.flatMap(flagsOf))] : null, options: /^(select|selects|radio|checks|listbox|input)$/.test(kind) || roleOf(element) === "combobox" ? optionsOf(elements, kind) : null,
    };
  };
  // The form as it is now. *only*: the addresses that matter, or null for all of it.
  const look = ({ only = null } = {}) => {
    const active = activeElement(), claimed = new Set(), scope = formOf();
    const found = { fields: {}, rows: {}, groups: {}, focus: null };
    const containers = [], spots = [];
    for (const place of places(only)) {
      spots.push(place);
      if (place.kind === "field") {
        found.fields[place.address] = lookAt(place, active, claimed);
        if (found.fields[place.address]?.focused) found.focus = place.address;
      } else containers.push(place);
    }
    for (const place of containers.reverse()) { // inner ones first: an alert belongs to the nearest
      const shown = place.elements.some(isShown);
      const shows = [...messagesOf(place, claimed), ...alertsOf(place, claimed)];
      const marked = [place.kind === "rows" ? place.scope : place.elements[0]].some((each) => each?.getAttribute && isTrue(each, "aria-invalid"));
      if (place.kind === "rows") {
        const button = addButton(place);
        found.rows[place.address] = { count: place.elements.filter(isShown).length, shows, marked, visible: isShown(place.scope), add: button ? why(button) : "no add button" };
      } else if (place.kind === "row") {
        const button = removeButton(place);
        found.groups[place.address] = { shows, marked, visible: shown, remove: button ? why(button) : "no remove button" };
      } else found.groups[place.address] = { shows, marked, visible: shown };
    }
    const notices = noticesOf(claimed);
    const loud = notices.filter(isShown).map((element) => [roleOf(element), plain(element.innerText)]).filter(([, text]) => text);
    const own = all(scope, "[role=alert]").filter((element) => !claimed.has(element) && !notices.includes(element) && ![...claimed].some((other) => element.contains(other) || other.contains(element)));
    const button = submitButton();
    const elsewhere = only ? [] : byPlace(found, spots, new Set([...claimed, ...notices, ...own]), scope);
    return Object.assign(found, {
      own: [...own.flatMap(messagesIn), ...elsewhere], notices: loud, busy: scope.getAttribute?.("aria-busy") === "true",
      buttons: all(scope, "button,input[type=submit],input[type=button],input[type=reset],[role=button]").map((each) => [nameOf(each), each.getAttribute("name") ?? "", !isOff(each), isSeen(each)]),
      submit: button ? { enabled: !isOff(button), visible: isSeen(button), focused: button === active } : null,
      views: Object.fromEntries(Object.entries(map.views).map(([name, what]) => [name, new Index(document).find(what).some(isShown)])),
      formVisible: scope !== EMPTY && isShown(scope), location: location.href, title: document.title, pressed,
      requests: requests.map(({ id, number, over, status }) => ({ id, number, over, status })),
    });
  };
  const why = (element) => (!element ? "missing" : !isSeen(element) ? "hidden" : isOff(element) ? "disabled" : "");

  // ---------------------------------------------------------------- hands
  // What keeps a person from it, in a word; "" where nothing does.
  const hindrance = (element, edits) => why(element) || (edits && isReadonly(element) ? "readonly" : "");
  const optionAt = (place, value) => {
    const text = String(value);
    const fitsOption = (option) => valueOfOption(option) === text || plain(option.textContent) === text || nameOf(option) === text;
    const several = place.elements.length > 1 || /^(radio|checkbox)$/.test(place.elements[0].type);
    return (several ? place.elements : all(popupOf(place.elements[0]), "[role=option],[role=radio],option")).find(fitsOption) ?? null;
  };
  // The element that a step is about: *step* has an address with a part (add, remove) or an option, or a button.
  const aimOf = (step) => {
    if (step.button) return buttonOf(step.button);
    const place = placeOf(step.address);
    if (!place) return null;
    if (step.part === "add") return addButton(place);
    if (step.part === "remove") return removeButton(place);
    if (step.part === "open") return openButton(place);
    if (step.part === "close") return closeButton(place);
    if (step.option !== undefined) return place.elements.length ? optionAt(place, step.option) : null;
    return place.elements.find((element) => element === activeElement()) ?? place.elements.find((element) => element.type === "radio" && element.checked) ?? place.elements[0] ?? null;
  };
  class Refused extends Error { constructor(kind, facts = {}) { super(kind); Object.assign(this, { kind, facts }); } }
  const reach = (step, edits) => {
    const element = aimOf(step);
    const kind = element ? hindrance(element, edits) : step.option !== undefined ? "no option" : step.part ? `no ${step.part} button` : "missing";
    if (kind) throw new Refused(kind);
    if (edits) edited.add(element);
    if (step.button || step.part || activeElement() === element) return element;
    element.scrollIntoView({ block: "nearest" });
    element.focus();
    return element;
  };
  const sendKey = (element, type, key) => element.dispatchEvent(new KeyboardEvent(type, {
    key, code: /^[a-z]$/i.test(key) ? `Key${key.toUpperCase()}` : /^\d$/.test(key) ? `Digit${key}` : key.length > 1 ? key : "", bubbles: true, cancelable: true, composed: true,
  }));
  const toTheEnd = (element) => {
    if (element.isContentEditable) { const selection = getSelection(); selection.selectAllChildren(element); selection.collapseToEnd(); return; }
    try { if (element.selectionStart !== null) element.setSelectionRange(element.value.length, element.value.length); } catch { /* number, date: there is no telling where the caret is */ }
  };
  // Keys that are events around the browser's own edit: its input event is trusted, and limits are the browser's.
  const typeKeys = async (element, text) => {
    for (const character of text) {
      const at = activeElement() ?? element, key = character === "\n" ? "Enter" : character;
      const inputType = character === "\n" ? "insertLineBreak" : "insertText";
      const before = () => at.dispatchEvent(new InputEvent("beforeinput", { inputType, data: character === "\n" ? null : character, bubbles: true, cancelable: true, composed: true }));
      if (sendKey(at, "keydown", key) && sendKey(at, "keypress", key) && before()) document.execCommand("insertText", false, character);
      sendKey(at, "keyup", key);
      await nextTask();
    }
  };
  const eraseKeys = async (element, times) => {
    for (let i = 0; i < times; i++) {
      const at = activeElement() ?? element;
      if (sendKey(at, "keydown", "Backspace")) document.execCommand("delete");
      sendKey(at, "keyup", "Backspace");
      await nextTask();
    }
  };
  // What is typed in these depends on the browser's language: they are set.
  const isSetOnly = (element) => /^(date|month|week|time|datetime-local|color|range)$/.test(element.type);
  const selectAll = (element) => { if (element.select) element.select(); else if (element.isContentEditable) getSelection().selectAllChildren(element); };
  const click = (element) => {
    const options = { bubbles: true, cancelable: true, composed: true, view: window, button: 0 };
    element.scrollIntoView?.({ block: "nearest" });
    element.dispatchEvent(new PointerEvent("pointerdown", options));
    if (element.dispatchEvent(new MouseEvent("mousedown", options))) {
      const takes = element.closest("button,input,select,textarea,[tabindex],a[href],[contenteditable]");
      if (takes && !isOff(takes)) takes.focus();
      else activeElement()?.blur();
    }
    element.dispatchEvent(new PointerEvent("pointerup", options));
    element.dispatchEvent(new MouseEvent("mouseup", options));
    element.click();
  };
  const tellChange = (element) => { element.dispatchEvent(new Event("input", { bubbles: true, composed: true })); element.dispatchEvent(new Event("change", { bubbles: true })); };
  // `set`: by the element's own setter, past the property that a rendering library may have put over it.
  const setValue = (element, value) => {
    const own = Object.getOwnPropertyDescriptor(Object.getPrototypeOf(element), "value");
    if (own?.set) own.set.call(element, value);
    else if ("value" in element) element.value = value;
    else if (element.isContentEditable) { selectAll(element); document.execCommand("insertText", false, value); return; }
    else throw new Refused("cannot be set");
    tellChange(element);
  };
  const choose = async (step) => {
    const place = placeOf(step.address);
    const element = place?.elements[0];
    if (!element) throw new Refused("missing");
    if (element.localName === "select") return chooseOf(reach(step), step);
    const kind = kindOf(place.elements, place.field);
    const wanted = [];
    for (const value of step.values) {
      if (kind !== "radio" && kind !== "checks" && popupOf(element) !== element && !isShown(popupOf(element))) { if (why(element)) throw new Refused(why(element)); click(element); await rest(); }
      const option = optionAt(placeOf(step.address), value);
      if (!option) throw new Refused("no option", { value, offered: optionsOf(place.elements, kind).map(([offered]) => offered) });
      if (why(option)) throw new Refused(why(option) === "disabled" && !place.elements.every(isOff) ? "disabled option" : why(option), { value });
      wanted.push(option);
      edited.add(option);
      if (kind !== "checks") click(option);
    }
    if (kind !== "checks") return undefined;
    for (const option of place.elements) {
      const on = wanted.includes(option);
      const changes = step.mode === "also" ? on && !isChecked(option) : step.mode === "except" ? on && isChecked(option) : on !== isChecked(option);
      if (changes) { if (why(option)) throw new Refused(why(option)); click(option); await rest(); }
    }
    return undefined;
  };
  const chooseOf = (element, step) => {
    const options = [...element.options];
    const wanted = step.values.map((value) => options.find((option) => option.value === String(value)) ?? options.find((option) => plain(option.label) === String(value)));
    const missing = wanted.findIndex((option) => !option);
    if (missing >= 0) throw new Refused("no option", { value: step.values[missing], offered: options.map((option) => option.value) });
    const off = wanted.findIndex((option) => option.disabled || option.parentElement.disabled);
    if (off >= 0) throw new Refused("disabled option", { value: step.values[off] });
    const was = [...element.selectedOptions];
    for (const option of options) {
      const on = wanted.includes(option);
      option.selected = step.mode === "also" ? option.selected || on : step.mode === "except" ? option.selected && !on : on;
    }
    if (!element.multiple && !step.values.length) element.selectedIndex = options.findIndex((option) => option.value === "");
    const is = [...element.selectedOptions];
    edited.add(element);
    if (was.length !== is.length || was.some((option, i) => option !== is[i])) tellChange(element);
  };
  const acts = {
    type: async (step) => {
      const element = reach(step, true);
      if (isSetOnly(element)) { if (step.text) throw new Refused("not typed"); if (element.value) setValue(element, ""); return; }
      if (!settings.armed && map.native && element.minLength > 0 && step.text) throw new Refused("needs real keys");
      if (step.over) { selectAll(element); if (step.text === "") { await eraseKeys(element, element.value === "" ? 0 : 1); return; } } else if (element !== lastTyped) toTheEnd(element);
      lastTyped = element;
      await typeKeys(element, step.text);
    },
    paste: (step) => {
      const element = reach(step, true);
      toTheEnd(element);
      const data = new DataTransfer();
      data.setData("text/plain", step.text);
      if (element.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true, composed: true }))) document.execCommand("insertText", false, step.text);
    },
    erase: async (step) => { const element = reach(step, true); toTheEnd(element); await eraseKeys(element, step.times); },
    focus: (step) => { reach(step); },
    blur: (step) => {
      if (step.address) { const place = placeOf(step.address); if (!place?.elements.includes(activeElement())) reach(step); }
      activeElement()?.blur();
    },
    click: (step) => { const element = reach(step); click(element); },
    turn: (step) => {
      const place = placeOf(step.address), element = place?.elements[0];
      const kind = element ? why(element) : "missing";
      if (kind) throw new Refused(kind);
      if (step.on === null || isChecked(element) !== step.on) { edited.add(element); click(element); }
    },
    choose,
    set: (step) => { setValue(reach(step, true), step.value); },
    // Past the page's own checks: the request itself, with what the page holds.
    send: (step) => {
      const flat = {};
      const flatten = (value, at) => { if (value !== null && typeof value === "object") for (const [name, inner] of Object.entries(value)) flatten(inner, at ? (Array.isArray(value) ? `${at}[${name}]` : `${at}.${name}`) : name); else flat[at] = value ?? ""; };
      flatten(step.values, "");
      const query = new URLSearchParams(flat);
      if (step.method === "GET") window.fetch(`${step.url.split("?")[0]}?${query}`).catch(() => {});
      else if (step.as === "json") window.fetch(step.url, { method: step.method, body: JSON.stringify(step.values), headers: { "Content-Type": "application/json" } }).catch(() => {});
      else window.fetch(step.url, { method: step.method, body: query }).catch(() => {});
    },
  };
  let lastTyped = null;
  addEventListener("blur", () => { lastTyped = null; }, true);
  // What would keep a person from a step, without taking it.
  const hinders = ({ step }) => {
    if (step.act === "blur") return { kind: "" };
    if (step.act === "choose" || step.act === "turn") {
      const place = placeOf(step.address), element = place?.elements[0];
      if (!element) return { kind: "missing" };
      const options = step.act === "choose" ? optionsOf(place.elements, kindOf(place.elements, place.field)) : [];
      for (const value of step.values ?? []) {
        const option = options.find(([offered, label]) => offered === value || label === value);
        if (!option) return { kind: "no option", facts: { value, offered: options.map(([offered]) => offered) } };
        if (!option[2] && !place.elements.every(isOff)) return { kind: "disabled option", facts: { value } };
      }
      return { kind: place.elements.some((each) => !why(each)) ? "" : why(element) };
    }
    const element = aimOf(step);
    return { kind: element ? hindrance(element, ["type", "paste", "erase", "set"].includes(step.act)) : step.part ? `no ${step.part} button` : "missing" };
  };
  // A run of a scenario in one call. Each act is followed by what is due now; it ends at the first that is refused, and at a
  // request. Says how many were done.
  const progress = { number: 0, done: 0 };
  for (const type of ["beforeunload", "pagehide"]) addEventListener(type, () => { if (progress.number) tell?.(JSON.stringify({ progress })); });
  const run_actions = async ({ steps, number, known = 0, open = [], left = false }) => {
    let done = 0;
    Object.assign(progress, { number, done });
    for (const each of steps) {
      try { await acts[each.act](each); } catch (error) {
        if (!(error instanceof Refused)) throw error;
        return { done, refused: { kind: error.kind, facts: error.facts }, ...(await run({ known, open, left })) };
      }
      progress.done = ++done;
      const after = await run({ known, open, left });
      if (after.why !== "quiet") return { done, ...after };
    }
    return { done, ...state("quiet") };
  };

  // Where to press with a real pointer: {x, y, focused}, or why it cannot be hit.
  let press = null;
  const aim = async (step) => {
    const element = aimOf(step), kind = element ? hindrance(element, step.edits) : "missing";
    if (kind) return { kind };
    const hit = isShown(element) ? element : element.labels[0];
    let x = 0, y = 0;
    for (let tries = 0, was = NaN; tries < 8; tries++) { // the compositor scrolls later than the script: until it stands still
      hit.scrollIntoView({ block: "nearest", inline: "nearest", behavior: "instant" });
      const box = hit.getBoundingClientRect();
      x = Math.round(box.left + Math.min(box.width / 2, 200));
      y = Math.round(box.top + Math.min(box.height / 2, 200));
      if (box.top === was && x >= 0 && y >= 0 && x < innerWidth && y < innerHeight) break;
      was = box.top;
      await nextFrame();
    }
    let top = document.elementFromPoint(x, y);
    while (top && rootOf(top)?.elementFromPoint(x, y) && rootOf(top).elementFromPoint(x, y) !== top) top = rootOf(top).elementFromPoint(x, y);
    const reachable = !top || top === hit || hit.contains(top) || holds(hit, top) || [...(element.labels ?? [])].some((label) => label.contains(top));
    if (!reachable) return { kind: "covered", facts: { by: top.id ? `#${top.id}` : `<${top.localName}>` } };
    press = { element, hit, down: false, click: false };
    return { x, y, focused: activeElement() === element, filled: Boolean(element.value ?? element.textContent), native: element.localName === "option", checked: isChecked(element) };
  };
  // Of what stands in a closed shadow root, an event tells the host only.
  const isOn = (event) => {
    if (!press) return false;
    const path = event.composedPath();
    return path.includes(press.hit) || path.includes(press.element) || press.hit.contains(path[0]) || [...roots].some((root) => root.host === path[0] && holds(path[0], press.hit));
  };
  addEventListener("pointerdown", (event) => { if (isOn(event)) press.down = true; }, true);
  addEventListener("click", (event) => { if (isOn(event)) press.click = true; }, true);
  // Whether the press arrived; leaving a field may show a message that moves the button away from under the pointer.
  const landed = () => {
    const made = press;
    press = null;
    if (!made || made.click || !isShown(made.hit) || isOff(made.element)) return { kind: "" };
    return { kind: made.down ? "moved" : "missed" };
  };

  // ---------------------------------------------------------------- the door
  const door = {
    id,
    clock, look, run, run_actions, aim, landed, hinders,
    element: (address) => placeOf(address)?.elements[0] ?? null,
    // A document may be asked while it is still arriving. *waited*: whether its load event is yet to be told to the player.
    begin: async (given) => {
      const waited = document.readyState !== "complete";
      if (waited) await new Promise((resolve) => addEventListener("load", resolve, { once: true }));
      await rest();
      noteHints();
      return { ...(await run(given)), waited };
    },
    // What was sent with the last request like this.
    body: ({ method, url }) => requests.findLast((request) => request.method === method && request.url === url && !request.over)?.written ?? null,
    source: () => `<!doctype html>${document.documentElement.outerHTML}`,
    end: () => { ended = true; navigator.sendBeacon = () => true; },
    known: () => requests.map(({ id, method, url, at, held, over, status }) => ({ id, method, url, at, held, over, status })),
    told: () => ({ warnings: [...warnings], errors: pageErrors.splice(0) }),
    roleOf, nameOf,
  };
  Object.defineProperty(window, KEY, { value: door, enumerable: false });
}
