  // ---------------------------------------------------------------- a survey of a page that no sheet describes
  // What looks like a field: in the order of the flat tree, one element for each.
  const candidatesIn = (scope) => {
    const widgets = new Index(scope).controls.filter((each) => (isInteractive(each) || (opens(each) && /listbox|menu/.test(each.getAttribute("aria-haspopup")))) && !isInertWithin(each, scope)
      && !(each.localName === "input" && !isInput(each)) && (isSeen(each) || /^(checkbox|radio|file)$/.test(each.type)) && roleOf(each) !== "radiogroup");
    const parts = (each, other) => other !== each && holds(other, each) && (/^(combobox|spinbutton|slider)$/.test(roleOf(other)) || (formElements.has(other.localName) && INTERACTIVE.test(roleOf(each))) || /^(listbox|grid|menu)$/.test(roleOf(other)));
    return widgets.filter((each) => !widgets.some((other) => parts(each, other)) && !(roleOf(each) === "listbox" && each.localName !== "select" && (!isShown(each) || widgets.some((other) => referredLists(other).includes(each)))))
      .filter((each) => !(isOriginal(each, scope))).map((each) => {
        const inner = innerOf(each); // what a custom element draws, or the labelled part of a widget
        const named = inner === each && !labelFor(each) ? all(each, "input,[role=combobox]").find((part) => labelFor(part) && isInteractive(part)) : null;
        return named ?? inner;
      }).filter((each, i, found) => found.indexOf(each) === i);
  };
  // What a person reads as the name of a control: a label, without the value that a widget adds to its own name.
  const labelFor = (element) => {
    const labels = labelsOf(element).concat(referred(element, "aria-labelledby").filter((each) => each !== element && !holds(element, each)));
    const shown = labels.map((label) => bare(labelText(label, element))).filter(Boolean);
    if (opens(element) && shown.length) return shown.find((text) => bare(nameOf(element)) !== text && bare(nameOf(element)).includes(text)) ?? shown[0];
    return bare(nameOf(element)) || shown[0] || "";
  };
  const setOf = (element, found) => {
    if (!/^(radio|checkbox)$/.test(roleOf(element))) return null;
    const alike = found.filter((each) => roleOf(each) === roleOf(element));
    const named = element.getAttribute("name") ? alike.filter((each) => each.getAttribute("name") === element.getAttribute("name")) : [];
    const box = closest(element, "fieldset,[role=radiogroup],[role=group]");
    const together = box ? found.filter((each) => holds(box, each)) : [];
    if (roleOf(element) === "radio") return named.length > 1 ? named : alike.filter((each) => box && holds(box, each));
    return box && bare(nameOf(box)) && together.length > 1 && together.every((each) => roleOf(each) === "checkbox") ? together : null;
  };
  // The nearest group around a set that has a name and holds nothing else.
  const groupOfSet = (element, set) => {
    for (let node = closest(element, "fieldset,[role=radiogroup],[role=group]"); node; node = closest(above(node) ?? document.documentElement, "fieldset,[role=radiogroup],[role=group]")) {
      if (bare(nameOf(node))) return candidatesIn(node).every((each) => set.includes(each)) ? node : null;
    }
    return null;
  };
  const inputType = (element) => {
    if (/^(email|url|tel|password|number|date|month|week|time|datetime-local|color|range|file)$/.test(element.type)) return element.type;
    if (roleOf(element) === "slider") return "range";
    if (roleOf(element) === "spinbutton" || /^(numeric|decimal)$/.test(element.inputMode)) return "number";
    if (element.localName === "textarea" || element.getAttribute("aria-multiline") === "true" || element.isContentEditable) return "textarea";
    return "text";
  };
  // {label, type, many, options, required, min, max, step, minlength, maxlength, pattern, hint, at}: *at* is a selector that finds it alone.
  const describe = async (element, found, unread) => {
    const label = labelFor(element), group = setOf(element, found), role = roleOf(element);
    const facts = { label, type: inputType(element), name: element.getAttribute("name") ?? "", at: uniqueSelector(element) };
    const around = group ? groupOfSet(element, group) : null;
    const holders = [element, ...(around ? [around] : [])];
    if (holders.some((each) => each.required === true || each.getAttribute("aria-required") === "true")) facts.required = true;
    if (element.localName === "input" && /number|range|date|month|week|time/.test(element.type)) for (const key of ["min", "max"]) if (element.getAttribute(key)) facts[key] = element.getAttribute(key);
    for (const [key, attribute] of [["minlength", "minLength"], ["maxlength", "maxLength"]]) if (element[attribute] > 0 && !group) facts[key] = element[attribute];
    if (element.pattern) facts.pattern = element.pattern;
    if (group) {
      Object.assign(facts, { type: role === "radio" ? "radio" : "checkbox", label: around ? bare(nameOf(around)) : label, options: group.map((each) => [valueOfOption(each), bare(nameOf(each))]), at: around ? uniqueSelector(around) : facts.at });
      if (role === "checkbox") facts.many = true;
    } else if (/^(checkbox|switch)$/.test(role)) facts.type = "checkbox";
    else if (/^(combobox|listbox)$/.test(role) || element.localName === "select" || opens(element)) await describeChoice(element, facts, unread);
    else if (facts.type === "text" && element.localName === "input") await describeDate(element, facts);
    return facts;
  };
  const placeFor = (element, field) => ({ kind: "field", address: "?", field, elements: [element], carriers: carriersBeside([element], field, formOf()), scope: formOf(), territory: lonely(element) });
  const lonely = (element) => { let box = element; for (let node = above(element); node && node !== formOf() && fieldsIn(node, element).every((each) => holds(element, each) || holds(each, element)); node = above(node)) box = node; return box; };
  const describeChoice = async (element, facts, unread) => {
    facts.type = "select";
    const field = { kind: "field", choice: true, type: "select" }, place = placeFor(element, field);
    const original = place.carriers.find((each) => each.localName === "select");
    const named = place.carriers.flatMap((each) => labelsOf(each).map((label) => bare(labelText(label, each)))).find(Boolean);
    if (named) facts.label = named;
    if (element.localName === "select" || original) {
      const select = element.localName === "select" ? element : original;
      facts.many = select.multiple || undefined;
      facts.options = [...select.options].filter((option) => option.value !== "").map((option) => [option.value, plain(option.label)]);
      return;
    }
    if (element.list) { facts.type = "text"; return; }
    if (await opensAsCalendar(element)) { facts.type = "date"; return; }
    await quietly(async () => {
      let opening = null;
      try { opening = await openList(place); } catch (error) { if (!(error instanceof Refused)) throw error; }
      if (!opening) { unread.push({ what: facts.label, why: "its list could not be opened" }); facts.type = element.localName === "input" ? "text" : "select"; return; }
      const options = optionsIn(opening.list);
      facts.many = (opening.list.getAttribute("aria-multiselectable") === "true" || options.some((option) => option.getAttribute("aria-multiselectable") === "true") || Array.isArray(hostValue(place)) || /\bmulti/.test(`${lonely(element).className} ${closest(element, "[class*=multi]")?.className ?? ""}`)) || undefined;
      facts.options = offeredBy(options).map(([value, label]) => [value, label || value]);
      if (!facts.options.length) unread.push({ what: facts.label, why: "its list was empty" });
      if (opening.opened) await closeList(place, opening.list);
    });
  };
  const describeDate = async (element, facts) => {
    if (isFormat(plain(element.getAttribute("placeholder"))) || (element.readOnly && (await opensAsCalendar(element))) || /^(dialog|grid)$/.test(element.getAttribute("aria-haspopup") ?? "")) facts.type = "date";
    else if (/\bdate|calendar/i.test(`${element.getAttribute("placeholder") ?? ""} ${lonely(element).className} ${element.className}`) && (await opensAsCalendar(element))) facts.type = "date";
  };
  const opensAsCalendar = async (element) => {
    if (isReadonly(element) === false && !/\bdate|calendar|dialog/i.test(`${element.getAttribute("placeholder") ?? ""} ${element.getAttribute("aria-haspopup") ?? ""} ${lonely(element).className} ${element.className}`)) return false;
    const before = openedCalendar() !== null;
    return quietly(async () => {
      click(element);
      await rest();
      const opened = !before && openedCalendar() !== null;
      if (opened) { keyAt(element, "Escape"); await rest(); }
      if (openedCalendar()) { click(document.body); await rest(); }
      return opened;
    });
  };
  const uniqueSelector = (element) => {
    const written = [element.id && !/\d{3,}|^:|\u00ab|^_r_|^mui-|^radix|^headless/.test(element.id) ? `#${CSS.escape(element.id)}` : "", element.getAttribute("name") ? `[name=${JSON.stringify(element.getAttribute("name"))}]` : "", element.getAttribute("aria-label") ? `[aria-label=${JSON.stringify(element.getAttribute("aria-label"))}]` : ""].filter(Boolean);
    return written.find((selector) => { try { return all(document, selector).length === 1; } catch { return false; } }) ?? "";
  };
  // Fades and spinners that the page ends by timers are over before the next look.
  const pause = async () => {
    const until = clock.now + 1000;
    for (let timer; clock.virtual && (timer = firstTimer()) && timer.due <= until; ) { if ((await run({ target: timer.due, known: requests.length, open: [] })).why !== "quiet") break; }
    await rest();
  };
  const fieldsOf = async (scope, unread, without = new Set()) => {
    const found = candidatesIn(scope).filter((each) => !without.has(each)), done = new Set(), fields = [];
    for (const element of found) {
      if (done.has(element)) continue;
      const segment = closest(element, "[role=spinbutton]:not(input)");
      const group = segment ? closest(above(segment), "[role=group]") : null;
      if (group && found.filter((each) => holds(group, each)).length >= 3) { // a date in sections
        for (const each of found) if (holds(group, each)) done.add(each);
        fields.push({ label: bare(nameOf(group)) || labelFor(group), type: "date", at: uniqueSelector(group), element: group });
        continue;
      }
      for (const each of setOf(element, found) ?? [element]) done.add(each);
      fields.push({ ...(await describe(element, found, unread)), element });
      await pause();
    }
    return fields;
  };
  const ADDS = /^\+|^(add|new|another|more)\b|\badd\b|\banother\b/i, NOT_PRESSED = /\b(submit|send|save|book|order|pay|buy|delete|clear|reset|cancel|back|log ?(in|out)|sign ?(in|out|up)|upload)\b/i;
  const pressQuietly = async (button) => { click(button); await rest(); await pause(); };
  // Of several submit buttons, one that does not add anything; Enter presses the first (HTML, "implicit submission").
  const sendButton = (unread) => {
    const first = submitButton(), sends = formOf() === EMPTY ? [] : controlsOf(formOf(), BUTTONS).filter((each) => each.type === "submit" && isSeen(each));
    if (!first || !ADDS.test(nameOf(first))) return first;
    const found = sends.findLast((each) => !ADDS.test(nameOf(each)) && !each.name) ?? sends.findLast((each) => !ADDS.test(nameOf(each)));
    if (found) unread.push({ what: "Enter", why: `it presses "${nameOf(first)}", the first submit button of the form` });
    return found ?? first;
  };
  const survey = async () => {
    const scope = formOf(), unread = [], submit = sendButton(unread);
    const before = new Set(candidatesIn(scope));
    const fields = await fieldsOf(scope, unread);
    const buttons = new Index(document).controls.filter((each) => /^(button)$/.test(roleOf(each)) && isSeen(each) && !isOff(each) && each !== submit && !fields.some((field) => holds(lonely(field.element), each) && !holds(lonely(field.element), scope) && lonely(field.element) !== scope) && !opens2(each));
    const rows = [], panels = [];
    for (const button of buttons) {
      const name = nameOf(button);
      if (!button.isConnected || !isSeen(button) || /^(submit|reset)$/.test(button.type) && button.form && !ADDS.test(name) || (NOT_PRESSED.test(name) && !/dialog/.test(button.getAttribute("aria-haspopup") ?? ""))) continue;
      const was = new Set(all(document, DIALOGS).filter(isShown)), had = new Set(candidatesIn(formOf()));
      await pressQuietly(button);
      if (leaving) { unread.push({ what: name, why: "it leads to another page" }); break; }
      const dialog = all(document, DIALOGS).find((each) => isShown(each) && !was.has(each) && candidatesIn(each).length);
      if (dialog) { panels.push(await surveyDialog(dialog, button, name, unread)); continue; }
      const fresh = candidatesIn(formOf()).filter((each) => !had.has(each));
      if (fresh.length && ADDS.test(name)) rows.push(await surveyRows(button, name, fresh, unread));
      else if (fresh.length) unread.push({ what: name, why: "it brings further fields, and it is not known when it does" });
    }
    const inRows = (field) => rows.some((each) => each.boxes.some((box) => holds(box, field.element)));
    const plainly = ({ element, ...facts }) => facts;
    return {
      fields: fields.filter((field) => !inRows(field)).map(plainly), rows: rows.map(({ boxes, ...facts }) => ({ ...facts, fields: facts.fields.map(plainly) })),
      panels: panels.map((panel) => ({ ...panel, fields: panel.fields.map(plainly) })), submit: submit ? nameOf(submit) : "", submitAt: submit ? uniqueSelector(submit) : "",
      action: scope.getAttribute?.("action") ?? "", sends: sentByBrowser(scope), id: scope.id || scope.getAttribute?.("name") || "", unread, title: document.title, heading: plain(document.querySelector("h1")?.textContent), before: before.size,
    };
  };
  // How a form is sent that no script can catch (HTML, "form submission algorithm"); null where one may.
  const sentByBrowser = (form) => {
    if (document.scripts.length || form.localName !== "form" || form.method === "dialog") return null;
    const to = new URL(form.getAttribute("action") || location.href, document.baseURI);
    return { to: to.pathname + to.search, method: form.method.toUpperCase(), send: form.enctype.split("/")[1].replace("x-www-form-", "").replace("form-data", "multipart").replace("plain", "text") };
  };
  const opens2 = (element) => /listbox|menu|grid|tree/.test(element.getAttribute("aria-haspopup") ?? "");
  const surveyDialog = async (dialog, button, name, unread) => {
    const label = titleOf(dialog), fields = await fieldsOf(dialog, unread);
    const buttons = all(dialog, "button,[role=button]").filter((each) => isSeen(each) && plain(nameOf(each)));
    const closes = closeButton({ field: {}, scope: dialog });
    const named = new Map(buttons.map((each) => [each, nameOf(each)]));
    const keeps = buttons.filter((each) => each !== closes && !/^(close|cancel|\u00d7|x)$/i.test(nameOf(each))).at(-1);
    if (closes) click(closes); else keyAt(activeElement() ?? dialog, "Escape");
    await pressQuietly(document.body);
    if (isShown(dialog) && !closes && keeps) { click(keeps); await rest(); }
    await pause();
    if (isShown(dialog)) unread.push({ what: name, why: "the dialog it opens could not be closed" });
    return { label, open: name, fields, submit: named.get(keeps) ?? "" };
  };
  const surveyRows = async (button, name, fresh, unread) => {
    let box = fresh[0];
    while (above(box) && !fresh.every((each) => holds(box, each))) box = above(box);
    const group = closest(box, GROUPS), outer = group && !holds(group, button) && candidatesIn(group).every((each) => fresh.includes(each)) ? group : null;
    let row = outer ?? box;
    if (!outer) while (above(row) && !holds(above(row), button) && candidatesIn(above(row)).every((each) => fresh.includes(each))) row = above(row);
    const fields = await fieldsOf(row, unread);
    const alike = all(formOf(), row.localName).filter((each) => each !== row && above(each) === above(row) && candidatesIn(each).length === candidatesIn(row).length);
    const list = closest(above(row), "fieldset,[role=group],[role=list],[role=region],section,table");
    const label = list && list !== formOf() ? bare(nameOf(list)) : "";
    const removes = removeButton({ field: {}, scope: row }), removing = removes ? nameOf(removes) : "";
    if (removes) await pressQuietly(removes); else unread.push({ what: name, why: "no button that removes a row was found" });
    return { label, add: name, remove: removing, start: alike.length, fields, boxes: [row, ...alike], rowAt: rowSelector(row) };
  };
  const rowSelector = (row) => { const name = [...row.classList].find((each) => /^[a-z][\w-]*$/i.test(each) && !/\d{2,}/.test(each)); return name ? `${row.localName}.${name}` : ""; };

  // Where everything stands that was found: {kind, name, x, y, width, height} in pixels of the document.
  const frames = () => {
    const found = [], met = new Set(), scope = formOf();
    const frame = (kind, name, element) => {
      if (!element || met.has(element)) return;
      met.add(element);
      const seen = isShown(element) && !isClipped(element) ? element : stands(element) ?? lonely(element), box = seen.getBoundingClientRect();
      if (box.width > 1 && box.height > 1) found.push({ kind, name, x: box.left + scrollX, y: box.top + scrollY, width: box.width, height: box.height });
    };
    const spots = [...places()];
    withTerritories(spots, scope);
    for (const place of spots) {
      if (place.kind === "field") {
        place.elements.forEach((element, i) => frame("control", place.elements.length > 1 ? `${place.address} (${nameOf(element) || i + 1})` : place.address, element));
        for (const element of place.elements.slice(0, 1)) for (const text of [...referred(element, "aria-errormessage"), ...referred(element, "aria-describedby")]) if (isShown(text) && !isClipped(text)) frame("message", place.address, text);
      } else if (place.kind === "rows") frame("button", `add ${place.address}`, addButton(place));
      else if (place.kind === "row") frame("button", `remove ${place.address}`, removeButton(place));
      else if (place.kind === "panel" && !place.elements.length) frame("button", `open ${place.address}`, openButton(place));
    }
    frame("button", "submit", submitButton());
    const known = new Set(spots.flatMap((place) => [...place.elements, ...place.carriers ?? []]));
    for (const element of candidatesIn(scope === EMPTY ? document.body : scope)) {
      const own = [...known].some((each) => each === element || (each.nodeType === Node.ELEMENT_NODE && (holds(element, each) || (holds(each, element) && !/^(form|fieldset|li|tr|div|section|dialog)$/.test(each.localName)))));
      if (!own && !spots.some((place) => place.kind === "field" && place.elements.some((each) => /^(group|radiogroup)$/.test(roleOf(each)) && holds(each, element)))) frame("unknown", labelFor(element) || described(element), element);
    }
    return { frames: found, ratio: devicePixelRatio };
  };

