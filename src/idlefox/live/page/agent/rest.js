  // ---------------------------------------------------------------- what changes; closed shadow roots are seen, too
  const roots = new Set();
  const closedRoots = new WeakMap();
  const formElements = new Set(); // names of form-associated custom elements
  let changes = 0, batches = 0; // records, and the tasks in which they came
  const observer = new MutationObserver((records) => { changes += records.length; batches++; });
  const observe = (root) => { roots.add(root); observer.observe(root, { subtree: true, childList: true, attributes: true, characterData: true }); };
  observe(document);
  const attachShadow = Element.prototype.attachShadow;
  Element.prototype.attachShadow = function (options) { const root = attachShadow.call(this, options); closedRoots.set(this, root); observe(root); return root; };
  const define = CustomElementRegistry.prototype.define;
  CustomElementRegistry.prototype.define = function (name, made, options) { if (made.formAssociated) formElements.add(name); return define.call(this, name, made, options); };
  // What a custom element says of itself where no attribute shows it (HTML, "ElementInternals").
  const internals = new WeakMap();
  const submitted = new WeakMap();
  const attachInternals = HTMLElement.prototype.attachInternals;
  if (attachInternals) HTMLElement.prototype.attachInternals = function () { const made = attachInternals.call(this); internals.set(this, made); hosts.set(made, this); return made; };
  const hosts = new WeakMap();
  const setFormValue = window.ElementInternals?.prototype.setFormValue;
  if (setFormValue) ElementInternals.prototype.setFormValue = function (value, ...state) { submitted.set(hosts.get(this), value); return setFormValue.call(this, value, ...state); };
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

