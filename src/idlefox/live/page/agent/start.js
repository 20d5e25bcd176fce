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
  if (settings.fresh && !isLater()) for (const storage of ["localStorage", "sessionStorage"]) try {
    window[storage].clear();
    for (const [key, value] of Object.entries(settings.stored?.[location.origin]?.[storage] ?? {})) window[storage].setItem(key, value);
  } catch { /* no storage here */ }

