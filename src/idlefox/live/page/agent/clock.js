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

