  // ---------------------------------------------------------------- hands
  // What keeps a person from it, in a word; "" where nothing does.
  const hindrance = (element, edits) => why(element) || (edits && isReadonly(element) ? "readonly" : "");
  const optionAt = (place, value) => {
    const wanted = callings(place, value), several = place.elements.length > 1 || /^(radio|checkbox)$/.test(place.elements[0].type);
    const offered = several ? place.elements : place.elements[0].localName === "select" ? [...place.elements[0].options] : listsOf(place).flatMap(optionsIn);
    return offered.find((option) => fitsOption(option, wanted)) ?? null;
  };
  // The element that a step is about: *step* has an address with a part (add, remove) or an option, or a button.
  const aimOf = (step) => {
    if (step.button) return buttonOf(step.button);
    const place = placeOf(step.address);
    if (!place) return null;
    if (place.two) throw new Refused("two", { controls: place.two.map(described) });
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
    // A group of sections takes no focus itself.
    if (roleOf(element) === "group" && !holds(element, activeElement() ?? document.body)) all(element, "[role=spinbutton]").find(isSeen)?.focus();
    return element;
  };
  // UI Events, "Legacy Key Attributes": libraries still read them.
  const KEY_CODES = { Enter: 13, Tab: 9, Escape: 27, " ": 32, Backspace: 8, Delete: 46, ArrowLeft: 37, ArrowUp: 38, ArrowRight: 39, ArrowDown: 40, Home: 36, End: 35 };
  const keyCode = (key) => KEY_CODES[key] ?? (/^[a-z0-9]$/i.test(key) ? key.toUpperCase().charCodeAt(0) : 0);
  const sendKey = (element, type, key) => element.dispatchEvent(new KeyboardEvent(type, {
    keyCode: type === "keypress" ? key.charCodeAt(0) : keyCode(key), which: type === "keypress" ? key.charCodeAt(0) : keyCode(key),
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
  // The events of a mouse (Pointer Events; UI Events), at the middle of what is pressed.
  const mouseAt = (element) => {
    const box = element.getBoundingClientRect?.() ?? { left: 0, top: 0, width: 0, height: 0 };
    const at = { clientX: Math.round(box.left + box.width / 2), clientY: Math.round(box.top + box.height / 2) };
    return { bubbles: true, cancelable: true, composed: true, view: window, button: 0, detail: 1, ...at };
  };
  const POINTER = { pointerId: 1, pointerType: "mouse", isPrimary: true, width: 1, height: 1 };
  const hover = (element) => {
    const options = { ...mouseAt(element), detail: 0 };
    for (const type of ["over", "enter", "move"]) {
      const bubbles = type !== "enter";
      element.dispatchEvent(new PointerEvent(`pointer${type}`, { ...options, ...POINTER, bubbles, button: -1 }));
      element.dispatchEvent(new MouseEvent(`mouse${type}`, { ...options, bubbles }));
    }
  };
  const click = (given) => {
    const element = /^(checkbox|radio)$/.test(given.type) && isClipped(given) ? stands(given) ?? given : given;
    element.scrollIntoView?.({ block: "nearest" });
    const options = mouseAt(element), pointer = { ...options, ...POINTER, detail: 0 };
    element.dispatchEvent(new PointerEvent("pointerdown", { ...pointer, buttons: 1, pressure: 0.5 }));
    if (element.dispatchEvent(new MouseEvent("mousedown", { ...options, buttons: 1 }))) focusBy(element);
    element.dispatchEvent(new PointerEvent("pointerup", { ...pointer, pressure: 0 }));
    element.dispatchEvent(new MouseEvent("mouseup", options));
    if (!element.isConnected) return;
    if (element.click) element.click(); else element.dispatchEvent(new MouseEvent("click", options)); // of a drawing
  };
  // What a press gives the focus to: the nearest element that can have it, of a host the first inside that can.
  const FOCUSABLE = "button,input:not([type=hidden]),select,textarea,[tabindex],a[href],[contenteditable],summary,label";
  const focusBy = (element) => {
    const takes = closest(element, FOCUSABLE);
    if (takes?.localName === "label") return;
    if (takes && !isOff(takes)) takes.focus();
    else activeElement()?.blur();
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
    if (place.two) throw new Refused("two", { controls: place.two.map(described) });
    if (element.localName === "select") return chooseOf(reach(step), step);
    const kind = kindOf(place.elements, place.field);
    if (kind !== "radio" && kind !== "checks") {
      if (why(element)) throw new Refused(why(element));
      return chooseInList(place, step);
    }
    const wanted = [];
    for (const value of step.values) {
      const option = optionAt(placeOf(step.address), value);
      if (!option) throw new Refused("no option", { value, offered: optionsOf(place.elements, kind).map(([offered]) => offered) });
      if (why(option)) throw new Refused(why(option) === "disabled" && !place.elements.every(isOff) ? "disabled option" : why(option), { value });
      wanted.push(option);
      if (kind === "radio" && needsOwnEdit(option)) throw new Refused("needs real keys");
      edited.add(option);
      if (kind === "radio") click(option);
    }
    if (kind === "radio") return undefined;
    const changes = (option) => { const on = wanted.includes(option); return step.mode === "also" ? on && !isChecked(option) : step.mode === "except" ? on && isChecked(option) : on !== isChecked(option); };
    if (place.elements.every((option) => !changes(option))) (place.elements.find((option) => !why(option)) ?? element).focus(); // a person still goes there
    for (const option of place.elements) {
      if (changes(option)) { if (why(option)) throw new Refused(why(option)); click(option); await rest(); }
    }
    return undefined;
  };
  const chooseOf = (element, step) => {
    const options = [...element.options];
    const place = placeOf(step.address);
    const wanted = step.values.map((value) => options.find((option) => option.value === String(value)) ?? options.find((option) => callings(place, value).has(plain(option.label)) || callings(place, value).has(option.value)));
    const missing = wanted.findIndex((option) => !option);
    if (missing >= 0) throw new Refused("no option", { value: step.values[missing], offered: options.map((option) => option.value) });
    const off = wanted.findIndex((option) => option.disabled || option.parentElement.disabled);
    if (off >= 0) throw new Refused("disabled option", { value: step.values[off] });
    if (!step.byScript && element.willValidate && asksUserValidity()) throw new Refused("needs real keys");
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
  // A slider of ARIA's goes by its keys until it says that value (ARIA Authoring Practices, "Slider").
  const turnTo = async (element, step) => {
    const now = () => Number(element.getAttribute("aria-valuenow")), wanted = Number(step.value);
    if (step.value === "" || Number.isNaN(wanted)) throw new Refused("cannot be set");
    for (let tries = 0, was = NaN; now() !== wanted; tries++) {
      const far = wanted - now();
      if (tries > 2000 || now() === was || (tries && Math.sign(far) !== Math.sign(wanted - was) && Math.abs(far) >= Math.abs(wanted - was))) throw new Refused("value not reached", { value: wanted, read: now() });
      was = now();
      keyAt(element, /^(slider)$/.test(roleOf(element)) ? (far > 0 ? "ArrowRight" : "ArrowLeft") : far > 0 ? "ArrowUp" : "ArrowDown");
      await rest();
      if (now() !== wanted && Math.sign(wanted - now()) !== Math.sign(far)) throw new Refused("value not reached", { value: wanted, read: now() });
    }
  };
  const acts = {
    type: async (step) => {
      const element = reach(step, true);
      if (isSetOnly(element)) { if (step.text) throw new Refused("not typed"); if (element.value) setValue(element, ""); return; }
      if (needsOwnEdit(element) || (!settings.armed && map.native && element.minLength > 0 && step.text)) throw new Refused("needs real keys");
      if (step.over) { selectAll(element); if (step.text === "") { await eraseKeys(element, element.value === "" ? 0 : 1); return; } } else if (element !== lastTyped) toTheEnd(element);
      lastTyped = element;
      await typeKeys(element, step.text);
    },
    paste: (step) => {
      const element = reach(step, true);
      toTheEnd(element);
      const data = new DataTransfer();
      data.setData("text/plain", step.text);
      if (!element.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true, composed: true }))) return;
      const last = needsOwnEdit(element) ? [...step.text].at(-1) ?? "" : ""; // it comes from a real key
      document.execCommand("insertText", false, step.text.slice(0, step.text.length - last.length));
      if (last) throw new Refused("needs real keys", { last });
    },
    erase: async (step) => { const element = reach(step, true); if (needsOwnEdit(element)) throw new Refused("needs real keys"); toTheEnd(element); await eraseKeys(element, step.times); },
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
      if (needsOwnEdit(element)) throw new Refused("needs real keys");
      if (step.on === null || isChecked(element) !== step.on) { edited.add(element); click(element); }
    },
    choose,
    set: (step) => {
      const place = placeOf(step.address), element = place?.elements[0];
      if (element && !place.two && place.field.type === "date" && element.type !== "date") {
        if (why(element)) throw new Refused(why(element));
        return enterDate(place, step);
      }
      if (element && /^(slider|spinbutton)$/.test(roleOf(element)) && element.localName !== "input" && element.value === undefined) return turnTo(reach(step, true), step);
      setValue(reach(step, true), step.value);
      return undefined;
    },
    // Whether the date that was entered is there once the field has been left.
    verify: (step) => {
      const place = placeOf(step.address), read = place?.elements.length && place.elements[0].type !== "date" && isDay(step.value) ? dateOf(place) : null;
      if (read !== null && read !== step.value) throw new Refused("date not entered", { value: step.value, read });
    },
    // Past the browser's checks the page's own way; where its script sends nothing, the request itself with what the page holds.
    send: async (step) => {
      const form = formOf(), before = requests.length;
      if (form.localName === "form") {
        const was = form.noValidate;
        form.noValidate = true;
        try { form.requestSubmit(); } finally { form.noValidate = was; }
        await rest();
        if (leaving || requests.slice(before).some((request) => request.method === step.method)) return;
      }
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
  const hinders = async ({ step }) => {
    try { return await hindersOf(step); } catch (error) {
      if (!(error instanceof Refused)) throw error;
      return { kind: error.kind, facts: error.facts };
    }
  };
  const hindersOf = async (step) => {
    if (step.act === "blur") return { kind: "" };
    if (step.act === "choose" || step.act === "turn") {
      const place = placeOf(step.address), element = place?.elements[0];
      if (!element) return { kind: "missing" };
      if (place.two) throw new Refused("two", { controls: place.two.map(described) });
      const free = place.elements.some((each) => !why(each));
      if (step.act === "turn" || !free) return { kind: free ? "" : why(element) };
      const options = await offers(step);
      if (!options) return { kind: "not opened" };
      const missing = [];
      for (const value of step.values) {
        const wanted = callings(place, value), option = options.find(([offered, label]) => wanted.has(plain(offered)) || wanted.has(plain(label)));
        if (!option) missing.push(value);
        else if (!option[2]) return { kind: "disabled option", facts: { value } };
      }
      if (missing.length && isWidget(place) && findsByTyping(place, options)) return { kind: "only by typing", facts: { value: missing[0] } };
      return missing.length ? { kind: "no option", facts: { value: missing[0], offered: options.map(([offered]) => offered) } } : { kind: "" };
    }
    const element = aimOf(step), place = step.address ? placeOf(step.address) : null;
    const edits = ["type", "paste", "erase", "set"].includes(step.act) && !(step.act === "set" && place?.field.type === "date");
    return { kind: element ? hindrance(element, edits) : step.part ? `no ${step.part} button` : "missing" };
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
      if (boxes.unanswered) {
        const facts = boxes.unanswered;
        boxes.unanswered = null;
        return { done: done - 1, refused: { kind: "unanswered", facts }, ...after };
      }
      if (after.why !== "quiet") return { done, ...after };
    }
    return { done, ...state("quiet") };
  };

  // Goes beside an option of a closed list: the key that chooses it then is returned; "" where there is none.
  const besideOption = ({ address, values }) => {
    const element = placeOf(address).elements[0], wanted = optionAt(placeOf(address), values[0]) ?? [...element.options].find((option) => option.value === values[0]);
    const free = [...element.options].filter((option) => !option.disabled && !option.hidden && !option.parentElement.disabled), at = free.indexOf(wanted);
    if (at < 0 || free.length < 2 || element.multiple || element.size > 1 || wanted.selected) return "";
    element.focus();
    element.selectedIndex = free[at ? at - 1 : 1].index;
    edited.add(element);
    return at ? "ArrowDown" : "ArrowUp";
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
    return { x, y, focused: activeElement() === element, filled: Boolean(element.value ?? element.textContent), checked: isChecked(element) };
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

