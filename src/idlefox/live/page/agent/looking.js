  // ---------------------------------------------------------------- looking
  const kindOf = (elements, field) => {
    const element = elements[0], role = roleOf(element);
    if (element.localName === "input" && role !== "combobox") return element.type === "checkbox" && (elements.length > 1 || field.set || field.many) ? "checks" : element.type === "checkbox" && role === "switch" ? "checkbox" : element.type;
    if (element.localName === "select") return element.multiple ? "selects" : "select";
    if (field.choice && (role === "combobox" || opens(element) || opensItself(element))) return "picker";
    if (role === "checkbox" || role === "switch") return elements.length > 1 || field.set || field.many ? "checks" : "switch";
    if (role === "radio") return "radio";
    if (role === "spinbutton" || role === "slider") return "ranged";
    if (role === "listbox" && element.value === undefined) return "listbox";
    if (element.isContentEditable) return "editable";
    return element.localName === "input" ? element.type : element.localName;
  };
  const isNothing = (place, text) => !text || text === plain(place.elements[0].getAttribute("placeholder")) || text === plain(place.elements[0].getAttribute("aria-placeholder")) || text === place.field.empty || text === general.empty;
  const knownPairs = (place) => [...place.field.options ?? [], ...(seenOptions.get(anyRow(place.address)) ?? []).map(([value, label]) => [value, label])];
  const valueOf = (place, kind) => {
    const { elements, field } = place, element = elements[0];
    const own = field.value ? new Index(place.territory ?? place.scope).find(field.value)[0] ?? new Index(document).find(field.value)[0] : null;
    if (own) return field.many && own.selectedOptions ? [...own.selectedOptions].map((option) => option.value) : own.value ?? (isNothing(place, shownText(own)) ? "" : shownText(own));
    if (field.type === "date") return dateOf(place);
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
      case "picker": return field.many ? severalOf(place) : pickedOf(place);
      default: {
        if (field.many) return severalOf(place);
        if (element.value !== undefined && typeof element.value !== "object") return String(element.value);
        const text = shownText(element);
        return isNothing(place, text) ? "" : text;
      }
    }
  };
  // A custom element that draws the control has the value itself, as a form-associated one does.
  const hostValue = (place) => {
    const element = place.elements[0], host = element.localName.includes("-") ? element : element.getRootNode().host;
    if (!host || !holds(place.scope === EMPTY ? document.body : place.scope, host)) return undefined;
    return typeof host.value === "string" || Array.isArray(host.value) ? host.value : undefined;
  };
  // One of a choice: by the original, by the control's own text, by what is written beside it.
  const pickedOf = (place) => {
    const element = place.elements[0], original = place.carriers.find((each) => each.localName === "select");
    const pairs = knownPairs(place), named = (text) => pairs.some((pair) => pair.some((each) => plain(each) === text));
    if (original) return original.selectedIndex < 0 ? null : original.value;
    const hidden = place.carriers.find((each) => each.value);
    if (hidden) return hidden.value;
    if (element.value && !element.matches("button") && !isNothing(place, element.value)) return element.value;
    const own = hostValue(place);
    if (typeof own === "string") return own || null;
    const text = element.localName === "input" ? "" : plain(textOf(element));
    if (text && !isNothing(place, text) && (named(text) || !/^(button|combobox)$/.test(roleOf(element)))) return text;
    // The button's text may hold more than the value, and what stands beside an input is no part of it.
    const beside = tokensOf(place, pairs).filter(([, token]) => !isInertWithin(token, place.scope)).map(([value]) => value);
    if (beside.length) return beside[0];
    if (text && pairs.length === 0 && !isNothing(place, text) && !atLoadTexts.has(`${anyRow(place.address)} ${text}`)) return text;
    return null;
  };
  const atLoadTexts = new Set(); // what choices without a value say: not known to be an option
  const severalOf = (place) => {
    const own = hostValue(place);
    if (Array.isArray(own)) return own.map(String);
    const original = place.carriers.find((each) => each.localName === "select" && each.multiple);
    if (original) return [...original.selectedOptions].map((option) => option.value).filter((value) => value !== "");
    const pairs = knownPairs(place);
    if (pairs.length) {
      const found = [...new Set(tokensOf(place, pairs).map(([value]) => value))];
      if (found.length) return found;
    }
    const chosen = listsOf(place).flatMap((list) => all(list, "[role=option][aria-selected=true]")).map(valueOfOption);
    if (chosen.length) return chosen;
    return pairs.length || seenOptions.has(anyRow(place.address)) || listsOf(place).length ? [] : null;
  };
  const optionsOf = (elements, kind) => {
    const element = elements[0];
    if (kind === "radio" || kind === "checks") return elements.filter(isSeen).map((each) => [valueOfOption(each), nameOf(each), !isOff(each)]);
    if (element.localName === "select") return [...element.options].filter((option) => !option.hidden).map((option) => [option.value, plain(option.label), !option.disabled && !option.parentElement.disabled]);
    if (element.list) return offeredBy([...element.list.options]);
    return roleOf(element) === "listbox" ? offeredBy(all(element, OPTIONS)) : null;
  };
  const flagsOf = (element) => { const flags = []; for (const flag in element.validity) if (flag !== "valid" && element.validity[flag]) flags.push(flag); return flags.sort(); };
  const bears = (elements, mark) => elements.some((element) => element.matches(mark.css) || all(element, mark.css).length > 0)
    || (elements[0] && above(elements[0])?.matches(mark.css) || false);
  // A mark by the map or the convention: on the control, on what is in it, or on what stands around it alone.
  const isMarkedBy = (place, mark) => {
    if (place.elements.some((element) => element.matches(mark.css) || element.getRootNode().host?.matches(mark.css))) return true;
    const box = place.territory;
    for (let node = above(place.elements[0]); node && box && holds(box, node); node = above(node)) if (node.matches(mark.css)) return true;
    return box ? place.elements.some((element) => all(element, mark.css).length > 0) : bears(place.elements, mark);
  };

  // HTML, "user validity": a browser may take edits by script for none of a person's, and so never set it.
  const edited = new WeakSet(), committed = new WeakSet();
  addEventListener("change", (event) => { const control = event.composedPath()[0]; if (edited.has(control)) committed.add(control); }, true);
  addEventListener("reset", (event) => { for (const control of event.target.elements) { edited.delete(control); committed.delete(control); } });
  // Whether the page asks for it: in a style sheet, or in a script that stands in the page or has asked already.
  const USER_VALIDITY = /:user-(in)?valid\b/;
  const readSheets = new WeakMap(); // style sheet -> [how many rules it had, whether it asks]
  let asked = false, scriptsRead = 0;
  const { matches } = Element.prototype; // our own questions do not count as the page's
  for (const [holder, names] of [[Element.prototype, ["matches", "closest", "querySelector", "querySelectorAll"]], [Document.prototype, ["querySelector", "querySelectorAll"]]]) for (const name of names) {
    const own = holder[name];
    holder[name] = function (selector) { if (!asked && USER_VALIDITY.test(selector)) asked = true; return own.call(this, selector); };
  }
  const sheetAsks = (sheet) => {
    try {
      const known = readSheets.get(sheet), count = sheet.cssRules.length;
      if (known?.[0] === count) return known[1];
      const asks = [...sheet.cssRules].some((rule) => USER_VALIDITY.test(rule.cssText));
      readSheets.set(sheet, [count, asks]);
      return asks;
    } catch { return false; } // of another origin
  };
  const asksUserValidity = () => {
    const scripts = [...document.scripts];
    asked ||= scripts.slice(scriptsRead).some((script) => USER_VALIDITY.test(script.text));
    scriptsRead = scripts.length;
    return asked || [...roots].some((root) => [...root.styleSheets ?? [], ...root.adoptedStyleSheets ?? []].some(sheetAsks));
  };
  const needsOwnEdit = (element) => !settings.armed && element.willValidate && asksUserValidity();
  const isUserInvalid = (element) => matches.call(element, ":user-invalid") || (committed.has(element) && element.willValidate && !element.validity.valid);

  const isAskingBy = ({ field, scope, territory }) => (field.asking ? new Index(scope).find(field.asking).some(isShown)
    : general.asking && territory ? new Index(territory).find(general.asking).some(isShown) : false);
  const saysInvalid = (holders) => holders.some((each) => each.hasAttribute("aria-invalid"));
  let usesInvalid = false; // the page says aria-invalid of something
  const lookAt = (place, active, claimed) => {
    const { field, elements } = place;
    if (place.two) return { two: place.two.map(described) };
    if (!elements.length) return { absent: isLabelShown(place) ? "label" : baseline.has(anyRow(place.address)) ? "gone" : "never" };
    const element = elements[0], kind = kindOf(elements, field);
    const holders = [...groupsAround(place), ...elements.flatMap(around), ...place.carriers];
    const judged = elements.some((each) => each.validity && each.willValidate);
    const byMap = field.marked ?? general.marked;
    const marked = holders.some((each) => isTrue(each, "aria-invalid")) || (map.native && elements.some(isUserInvalid)) || (byMap ? isMarkedBy(place, byMap) : false);
    const shows = [...messagesOf(place, claimed, marked), ...alertsOf(place, claimed)].filter((text, i, texts) => texts.indexOf(text) === i);
    const fresh = field.shows && byMap ? { texts: [], classes: [] } : appeared(place, claimed, marked);
    if (!field.shows && !shows.length) for (const [text, at] of fresh.texts) if (marked || isSaid(field, text) || (map.page && fresh.classes.length)) { shows.push(text); claimed.add(at); }
    const value = valueOf(place, kind);
    if (kind === "picker" && !field.many && value === null) { const text = plain(textOf(element)); if (text) atLoadTexts.add(`${anyRow(place.address)} ${text}`); }
    return {
      kind, count: elements.length, value, shows,
      visible: elements.some(isSeen), enabled: !elements.every(isOff), readonly: isReadonly(element), focused: elements.some((each) => each === active || (active && each !== document.body && isPartOfControl(each, active)))
        || Boolean(field.type === "date" && active && active !== document.body && place.territory && holds(place.territory, active)),
      required: holders.some((each) => each.required === true || each.getAttribute("aria-required") === "true"),
      marked, unseen: unseenOf(place, { marked, shows, fresh, byMap, value, kind }),
      busy: holders.some((each) => each.closest("[aria-busy=true]")?.matches("form,body") === false) || isAskingBy(place),
      touched: field.touched ? bears(elements, field.touched) : general.touched ? isMarkedBy(place, general.touched) : null,
      dirty: field.dirty ? bears(elements, field.dirty) : general.dirty ? isMarkedBy(place, general.dirty) : null,
      flags: judged ? [...new Set(elements.flatMap(flagsOf))] : null,
      options: field.choice && isWidget(place) ? null : /^(select|selects|radio|checks|listbox|input)$/.test(kind) || element.list ? optionsOf(elements, kind) : null,
    };
  };
  // Whether the page shows a label for a field whose control was not found.
  const isLabelShown = (place) => place.scope !== EMPTY && all(place.scope, "label,legend,[id$=label],[class*=label],dt,th").some((each) => bare(ownText(each)) === bare(place.field.label) && isShown(each));
  const isPartOfControl = (control, active) => !/^(fieldset)$/.test(control.localName) && holds(control, active) && /^(combobox|spinbutton|slider)$/.test(roleOf(control));
  const described = (element) => `<${element.localName}${element.id ? ` id="${element.id}"` : ""}${element.getAttribute("role") ? ` role="${element.getAttribute("role")}"` : ""}${element.getAttribute("name") ? ` name="${element.getAttribute("name")}"` : ""}>`;
  // What a look cannot tell, with what was seen instead: {marked: [class], shows: [text], value: true}.
  const unseenOf = (place, { marked, shows, fresh, byMap, value, kind }) => {
    const found = {};
    const says = saysInvalid(place.elements) || usesInvalid;
    if (!marked && !byMap && !says && fresh.classes.length) found.marked = fresh.classes;
    if (!shows.length && !place.field.shows && !general.shows) {
      if (marked && !map.native) found.shows = { why: "marked", texts: fresh.texts.map(([text]) => text) };
      else if (fresh.texts.length && !map.page && !requests.some((request) => request.held && !request.over)) found.shows = { why: "text", texts: fresh.texts.map(([text]) => text), at: selectorOf(fresh.texts[0][1]) };
    }
    if ((kind === "picker" || place.field.many) && value === null && place.field.many) found.value = true;
    return Object.keys(found).length ? found : null;
  };
  // A selector that a person would write for *element*.
  const selectorOf = (element) => {
    const name = [...element.classList].find((each) => /^[a-z][\w-]*$/i.test(each));
    return name ? `.${name}` : element.id && !/\d{2,}|^:/.test(element.id) ? `#${element.id}` : element.localName;
  };
  const noticesOf = (claimed) => {
    if (map.notice) return new Index(document).find(map.notice);
    const scope = formOf(), page = scope === document.body, fieldless = page && !Object.keys(map.fields).some((name) => baseline.has(name) && placeOf(name)?.elements.length);
    const inForm = (element) => scope !== EMPTY && !fieldless && (!page || roleOf(element) === "alert") && holds(scope, element);
    const known = (element) => (map.noticeTexts ?? []).includes(shownText(element));
    const told = (map.noticeTexts ?? []).length ? all(document, "*").filter((element) => map.noticeTexts.includes(ownText(element)) && isShown(element) && !/^(button|option|label|script|style|title)$/.test(element.localName) && ![...claimed].some((other) => holds(other, element))) : [];
    const spoken = all(document, "[role=status],[role=alert],[role=log],dialog[open],[role=alertdialog],[aria-live]").filter((element) => {
      const role = roleOf(element);
      if (element.localName === "output" || claimed.has(element) || [...claimed].some((other) => holds(element, other))) return false;
      if (/^(dialog|alertdialog)$/.test(role)) return !dialogsKnown().includes(element);
      if (known(element)) return true;
      if (inForm(element)) return false;
      return role === "alert" || !isSameAsAtLoad(element);
    });
    return [...spoken, ...told.filter((element) => !spoken.some((other) => holds(other, element)))];
  };
  const dialogsKnown = () => Object.values(map.fields).filter((field) => field.kind === "panel").map(dialogOf);
  const loadTexts = new WeakMap();
  const isSameAsAtLoad = (element) => atLoad.has(element) && (loadTexts.get(element) ?? (loadTexts.set(element, shownText(element)), shownText(element))) === shownText(element);
  const withTerritories = (spots, scope) => {
    const owners = territories(spots, scope);
    for (const place of spots) if (place.kind === "field") place.territory = territoryOf(place, owners);
  };
  // The form as it is now. *only*: the addresses that matter, or null for all of it.
  const look = ({ only = null } = {}) => {
    const active = activeElement(), claimed = new Set(), scope = formOf();
    const found = { fields: {}, rows: {}, groups: {}, focus: null };
    const containers = [], spots = [...places(only)];
    lookSummaries = summaries();
    const linkTexts = new Set(lookSummaries.flatMap((summary) => all(summary, "a[href^='#']").map(shownText)));
    usesInvalid ||= all(document, "[aria-invalid]").some((each) => each.getAttribute("aria-invalid") !== "");
    withTerritories(spots, scope);
    for (const place of spots) {
      if (place.kind === "field") {
        found.fields[place.address] = lookAt(place, active, claimed);
        if (found.fields[place.address]?.focused) found.focus = place.address;
      } else containers.push(place);
    }
    for (const place of containers.reverse()) { // inner ones first: an alert belongs to the nearest
      const shown = place.elements.some(isShown);
      const shows = [...messagesOf(place, claimed), ...alertsOf(place, claimed)];
      const box = place.kind === "rows" ? place.scope : place.elements[0], byMap = place.field.marked ?? general.marked;
      const marked = Boolean(box?.getAttribute && (isTrue(box, "aria-invalid") || (byMap && box.matches(byMap.css))));
      if (place.kind === "rows") {
        const button = addButton(place);
        found.rows[place.address] = { count: place.elements.filter(isShown).length, shows, marked, visible: isShown(place.scope), add: button ? why(button) : "no add button" };
      } else if (place.kind === "row") {
        const button = removeButton(place);
        found.groups[place.address] = { shows, marked, visible: shown, remove: button ? why(button) : "no remove button" };
      } else found.groups[place.address] = { shows, marked, visible: shown };
    }
    // A link of the summary leads to the first control of a group, and says what the group says.
    for (const [group, { shows }] of [...Object.entries(found.groups), ...Object.entries(found.rows)]) for (const [address, field] of Object.entries(found.fields)) {
      if (!field?.shows || !shows.length || !address.startsWith(`${group}.`)) continue;
      field.shows = field.shows.filter((text) => !(shows.includes(text) && linkTexts.has(text)));
    }
    const notices = noticesOf(claimed);
    const loud = notices.filter((element) => isShown(element) && !isCutAway(element)).map((element) => [roleOf(element), shownText(element)]).filter(([, text]) => text);
    const own = scope === EMPTY ? [] : all(scope, "[role=alert],[aria-live=assertive]").filter((element) => !claimed.has(element) && !notices.includes(element) && !lookSummaries.includes(element) && ![...claimed].some((other) => holds(element, other) || holds(other, element)));
    const unfollowed = lookSummaries.flatMap((summary) => all(summary, "a[href^='#']")).filter((link) => !claimed.has(link) && isShown(link) && !isShownAt(found, shownText(link)));
    const given = general.own ? new Index(document).find(general.own) : [];
    const button = submitButton();
    const elsewhere = only ? [] : byPlace(found, spots, new Set([...claimed, ...notices, ...own, ...given, ...lookSummaries]), scope);
    return Object.assign(found, {
      own: [...new Set([...unfollowed, ...own, ...given].flatMap(messagesIn)), ...elsewhere], notices: loud, busy: scope.getAttribute?.("aria-busy") === "true",
      buttons: (scope === EMPTY ? [] : all(scope, BUTTONS)).map((each) => [nameOf(each), each.getAttribute("name") ?? "", !isOff(each), isSeen(each)]),
      submit: button ? { enabled: !isOff(button), visible: isSeen(button), focused: button === active } : null,
      views: Object.fromEntries(Object.entries(map.views).map(([name, what]) => [name, new Index(document).find(what).some(isShown)])),
      accepted: map.accepted ? new Index(document).find(map.accepted).some(isShown) : null, rejected: map.rejected ? new Index(document).find(map.rejected).some(isShown) : null,
      sent: map.payload ? shownData(new Index(document).find(map.payload).find(isShown)) : map.console ? consoled : null,
      refusedByBrowser,
      alert: boxes.alert, formVisible: scope !== EMPTY && isShown(scope), location: location.href, title: document.title, pressed,
      requests: requests.map(({ id, number, over, status }) => ({ id, number, over, status })),
    });
  };
  const isShownAt = (found, text) => [found.fields, found.rows, found.groups].some((parts) => Object.values(parts).some((part) => part?.shows?.includes(text)));
  // What a page shows as its data: its text, or the pairs of a table or a list.
  const shownData = (element) => {
    if (!element) return "";
    const table = element.localName === "table" ? element : element.querySelector("table");
    const rows = table ? [...table.rows].map((row) => [...row.cells].map((cell) => plain(cell.textContent))) : [];
    if (rows.length && rows.every((row) => row.length === 2)) return rows.filter((_, i) => !(table.tHead && i < table.tHead.rows.length));
    const terms = [...element.querySelectorAll("dt")];
    if (terms.length) return terms.map((term) => [plain(term.textContent), plain(term.nextElementSibling?.textContent)]);
    return element.value ?? element.innerText;
  };
  const why = (element) => (!element ? "missing" : !isSeen(element) ? "hidden" : isOff(element) ? "disabled" : "");

