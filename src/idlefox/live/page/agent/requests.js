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
  const withRows = (told, rows) => (told ? { ...told, rows } : told);
  const bodyOf = (body) => {
    if (typeof body === "string") return { body, type: "text/plain;charset=UTF-8" };
    if (body instanceof URLSearchParams) return { body: String(body), type: "application/x-www-form-urlencoded;charset=UTF-8" };
    if (body instanceof FormData && [...body.values()].every((value) => typeof value === "string")) return { body: String(new URLSearchParams([...body])), type: "application/x-www-form-urlencoded" };
    return null;
  };
  const begin = (method, address, body = null) => {
    const url = new URL(address, document.baseURI);
    const request = { id: requests.length, method: method.toUpperCase(), url: url.href.split("#")[0], at: clock.now, number: ++sequence, held: false, over: false, status: null, ended: null };
    const written = bodyOf(body);
    if (written) Object.defineProperty(request, "written", { value: written });
    request.held = fits(request.method, url);
    requests.push(request);
    if (!request.held) underWay++;
    return request;
  };
  const end = (request, status) => {
    if (request.over) return;
    Object.assign(request, { over: true, status, number: ++sequence, ended: clock.now });
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
  // A button that adds or removes a row by another page does not submit the form.
  const isRowButton = (button) => {
    if (!button || button === submitButton()) return false;
    for (const place of places()) if ((place.kind === "rows" && addButton(place) === button) || (place.kind === "row" && removeButton(place) === button)) return true;
    return false;
  };
  const goes = (form, submitter) => {
    const method = (submitter?.getAttribute("formmethod") ?? form.getAttribute("method") ?? "get").toLowerCase();
    const target = submitter?.getAttribute("formtarget") ?? form.getAttribute("target") ?? "";
    if (method !== "dialog" && ["", "_self", "_top", "_parent"].includes(target)) leaving = true;
    try { tell?.(JSON.stringify(withRows(bodyOf(new URLSearchParams([...new FormData(form, submitter)].map(([name, value]) => [name, typeof value === "string" ? value : value.name]))), isRowButton(submitter)))); } catch { /* there is no telling */ }
  };
  addEventListener("submit", (event) => { if (!event.defaultPrevented) goes(event.target, event.submitter); });
  const submitForm = HTMLFormElement.prototype.submit;
  HTMLFormElement.prototype.submit = function () { goes(this, null); return submitForm.call(this); };
  // The last object, or JSON, that the page wrote to its console.
  let consoled = "";
  for (const level of ["log", "info", "debug", "dir"]) {
    const write = console[level];
    console[level] = function (...values) {
      const told = values.findLast((value) => (value !== null && typeof value === "object") || (typeof value === "string" && /^\s*[[{]/.test(value)));
      try { if (told !== undefined) consoled = typeof told === "string" ? told : JSON.stringify(told instanceof FormData ? Object.fromEntries(told) : told); } catch { /* it cannot be written */ }
      return write.apply(this, values);
    };
  }
  // The browser's own boxes would stop the page and everyone who asks it. They are answered as the script says.
  const boxes = { alert: null, answers: [], unanswered: null };
  const asks = (box, text, otherwise) => {
    const at = boxes.answers.findIndex((each) => each.box === box);
    if (at >= 0) return boxes.answers.splice(at, 1)[0].answer;
    boxes.unanswered ??= { box, text: String(text ?? "") };
    return otherwise;
  };
  window.alert = function alert(text = "") {
    boxes.alert = String(text);
    try { tell?.(JSON.stringify({ alert: boxes.alert })); } catch { /* there is no telling */ }
  };
  window.confirm = function confirm(text = "") { return asks("confirm", text, false); };
  window.prompt = function prompt(text = "") { return asks("prompt", text, null); };
  addEventListener("click", (event) => {
    const link = event.composedPath().find((node) => node.localName === "a" && node.href);
    if (link && !event.defaultPrevented && !link.target && link.href.split("#")[0] !== location.href.split("#")[0]) leaving = true;
  });
  addEventListener("click", (event) => {
    const button = event.composedPath().find((node) => /^(button|input)$/.test(node.localName) || node.getAttribute?.("role") === "button");
    if (button && (button === submitButton() || (/^(submit|image)$/.test(button.type) && button.form))) { pressed = ++sequence; refusedByBrowser = false; }
  }, true);
  addEventListener("submit", (event) => { if (!event.submitter) pressed = ++sequence; }, true);

