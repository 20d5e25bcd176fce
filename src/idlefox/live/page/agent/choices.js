  // ---------------------------------------------------------------- choices: what is offered, and opened as a person opens it
  const LISTS = "[role=listbox],[role=menu],[role=grid],[role=tree],[role=dialog],dialog,[popover]";
  const OPTIONS = "[role=option],[role=menuitemradio],[role=menuitemcheckbox],[role=menuitem],[role=treeitem],option";
  const valueOfOption = (option) => {
    if (option.localName === "option") return option.value;
    const given = option.getAttribute("data-value") ?? option.getAttribute("value");
    if (given !== null) return given;
    const host = option.getRootNode().host;
    if (host && typeof host.value === "string" && host.value && /^(radio|checkbox|option)$/.test(roleOf(option))) return host.value;
    if (typeof option.value === "string" && option.localName.includes("-")) return option.value;
    return option.getAttribute("aria-label") ?? (textOfOption(option) || nameOf(option));
  };
  const textOfOption = (option) => plain(option.localName === "option" ? option.label : rootOf(option) || all(option, "slot").length ? textOf(option, null, new Set(), true) : option.textContent);
  const isChecked = (element) => element.checked ?? (element.getAttribute("aria-checked") ?? element.getAttribute("aria-selected")) === "true";
  // How a wanted value may be called on the page: by the sheet's option or by the original's, its value or its label.
  const callings = (place, value) => {
    const found = new Set([plain(String(value))]);
    const pairs = [...place.field.options ?? [], ...place.carriers.filter((each) => each.localName === "select").flatMap((each) => [...each.options].map((option) => [option.value, plain(option.label)]))];
    for (const pair of pairs) if (pair.map(plain).some((each) => found.has(each))) for (const each of pair) if (plain(each)) found.add(plain(each));
    return found;
  };
  const fitsOption = (option, wanted) => wanted.has(plain(valueOfOption(option))) || wanted.has(textOfOption(option)) || wanted.has(nameOf(option));
  const referredLists = (element) => ["aria-controls", "aria-owns"].flatMap((name) => referred(element, name))
    .concat(referred(element, "aria-activedescendant").map((each) => closest(each, LISTS))).filter(Boolean);
  // The lists that a control names, on itself or on what it is drawn in.
  const listsOf = (place) => {
    const element = place.elements[0], found = element.list ? [element.list] : [];
    for (const node of [element, ...all(element, "[aria-controls],[aria-owns]"), ...widgetAround(place)]) found.push(...referredLists(node));
    // A listbox that opens is no list itself, but has one.
    if (roleOf(element) === "listbox") found.push(...(opensItself(element) ? all(element, "[role=listbox]") : [element]));
    return [...new Set(found)].filter((list) => !place.elements.includes(list) || roleOf(list) === "listbox");
  };
  const opensItself = (element) => roleOf(element) === "listbox" && element.localName !== "select" && element.hasAttribute("aria-expanded");
  const widgetAround = (place) => {
    const found = [];
    for (let node = above(place.elements[0]); node && holds(place.scope === EMPTY ? document.body : place.scope, node) && node !== place.scope && found.length < 4; node = above(node)) found.push(node);
    return found.filter((node) => node.hasAttribute("aria-expanded") || node.hasAttribute("aria-controls") || node.hasAttribute("aria-owns"));
  };
  const optionsIn = (list) => {
    if (list === EMPTY) return [];
    if (list.localName === "datalist") return [...list.options];
    const found = all(list, OPTIONS).filter((option) => isShown(option) || isShown(list) === false);
    // A list that is cut away is for screen readers: what is pressed stands beside it.
    return isShown(list) && isClipped(list) ? rowsBeside(list) : found;
  };
  const rowsBeside = (list) => {
    for (let node = above(list), steps = 0; node && node !== document.body && steps < 3; node = above(node), steps++) {
      const boxes = [node, ...all(node, "*")].filter((each) => !holds(list, each) && isShown(each));
      const rows = (box) => [...box.children].filter((each) => isShown(each) && plain(textOf(each)));
      const alike = boxes.map(rows).filter((each) => each.length && each.length === new Set(each).size && each.every((row) => row.localName === each[0].localName && row.classList[0] && row.classList[0] === each[0].classList[0]));
      const best = alike.sort((a, b) => b.length - a.length)[0];
      if (best && best.some((row) => row.matches("[aria-selected],[aria-disabled],[title]") || best.length > 1)) return best;
    }
    return [];
  };
  const openedList = (place) => listsOf(place).find((list) => list.localName === "datalist" || isShown(list)) ?? null;
  const appearedList = (before) => all(document, LISTS).find((list) => isShown(list) && !before.has(list) && optionsIn(list).length) ?? null;
  // Where one presses to open it: the control, else what stands for it.
  const opener = (place) => {
    if (place.field.opener) { const found = new Index(place.territory ?? place.scope).find(place.field.opener).find(isShown) ?? new Index(document).find(place.field.opener).find(isShown); if (found) return found; }
    return place.elements[0];
  };
  // Open the list of a choice: {list, opened}; null if nothing opens it.
  const openList = async (place) => {
    const there = openedList(place);
    if (there && (optionsIn(there).length || (roleOf(place.elements[0]) === "listbox" && !opensItself(place.elements[0])))) return { list: there, opened: false };
    const before = new Set(all(document, LISTS).filter(isShown)), control = opener(place);
    if (why(control)) throw new Refused(why(control));
    const found = () => openedList(place) ?? appearedList(before);
    const ways = [() => click(control), () => keyAt(control, "Enter"), () => keyAt(control, "ArrowDown")];
    for (const way of ways) {
      if (isExpanded(place)) break;
      way();
      await rest();
      // What is drawn when a real frame comes is not there yet.
      for (let tries = 0; tries < 12 && isExpanded(place) && !optionsIn(found() ?? EMPTY).length; tries++) { await nextFrame(); await rest(); }
      const list = found();
      if (list && (optionsIn(list).length || isExpanded(place))) return { list, opened: true };
    }
    const list = found();
    return list ? { list, opened: true } : null;
  };
  const isExpanded = (place) => [place.elements[0], ...all(place.elements[0], "[aria-expanded]"), ...widgetAround(place)].some((each) => each.getAttribute("aria-expanded") === "true");
  const keyAt = (element, key) => {
    const at = holds(element, activeElement() ?? document.body) ? activeElement() : element;
    sendKey(at, "keydown", key);
    sendKey(at, "keyup", key);
  };
  const closeList = async (place, list) => {
    // A list may still fade out when its control is already marked as closed.
    const gone = () => !isExpanded(place) && (!isShown(list) || place.elements[0].getAttribute("aria-expanded") === "false");
    const ways = [
      () => keyAt(activeElement() ?? place.elements[0], "Escape"), () => keyAt(optionsIn(list)[0] ?? list, "Escape"),
      () => { const beside = document.elementFromPoint(1, 1); if (beside && beside !== document.documentElement) click(beside); },
      () => click(opener(place)), () => click(document.body),
    ];
    for (const way of ways) {
      if (gone()) return;
      way();
      await rest();
    }
  };
  // A check must not touch the field: the page gets no event when the focus returns.
  let muted = false;
  for (const type of ["focus", "blur", "focusin", "focusout"]) addEventListener(type, (event) => { if (muted) event.stopImmediatePropagation(); }, true);
  const quietly = async (work) => {
    const active = activeElement(), known = lastTyped;
    try { return await work(); } finally {
      if (activeElement() !== active) {
        muted = true;
        try { if (active) active.focus({ preventScroll: true }); else activeElement()?.blur(); } finally { muted = false; }
        lastTyped = known;
      }
      await rest();
    }
  };
  const offeredBy = (options) => options.map((option) => [valueOfOption(option), textOfOption(option), !isOff(option)]);
  const seenOptions = new Map(); // address -> what its list has offered
  const isWidget = (place) => place.elements.length > 0 && place.elements[0].localName !== "select" && !/^(radio|checkbox)$/.test(place.elements[0].type) && !/^(radio|checkbox|switch)$/.test(roleOf(place.elements[0])) && !place.elements[0].list;
  // What a field offers: [[value, label, enabled]]; null if it cannot be seen.
  const offers = async ({ address }) => {
    const place = placeOf(address);
    if (!place?.elements.length) return null;
    if (!isWidget(place)) return optionsOf(place.elements, kindOf(place.elements, place.field));
    if (why(place.elements[0])) return optionsAtRest(place);
    return quietly(async () => {
      let opening = null;
      try { opening = await openList(place); } catch (error) { if (!(error instanceof Refused)) throw error; }
      if (!opening) return optionsAtRest(place);
      const found = offeredBy(optionsIn(opening.list));
      seenOptions.set(anyRow(address), found);
      if (opening.opened) await closeList(placeOf(address) ?? place, opening.list);
      return found;
    });
  };
  // Without opening it: what the original has, or a list that is in the page.
  const optionsAtRest = (place) => {
    const original = place.carriers.find((each) => each.localName === "select");
    if (original && [...original.options].some((option) => option.value !== "")) return [...original.options].map((option) => [option.value, plain(option.label), !option.disabled]);
    const list = listsOf(place)[0];
    return list && optionsIn(list).length ? offeredBy(optionsIn(list)) : null;
  };
  const chooseInList = async (place, step) => {
    const address = step.address;
    const several = place.field.many;
    let done = 0;
    if (several) await leaveOnly(place, step);
    const chosen = several ? await chosenOf(address) : [];
    for (const value of step.values) {
      const now = placeOf(address);
      if (several && step.mode !== "except" && chosen.some((each) => callings(now, value).has(plain(String(each))))) { done++; continue; }
      const option = await optionFor(now, value);
      if (isOff(option)) throw new Refused("disabled option", { value });
      edited.add(option);
      hover(option);
      click(option);
      await rest();
      done++;
    }
    const now = placeOf(address), list = now ? openedList(now) : null;
    if (list && list.localName !== "datalist" && !now.elements.includes(list) && isShown(list) && isExpanded(now)) await closeList(now, list);
    searching = null;
    return done;
  };
  let searching = null;
  const optionFor = async (place, value) => {
    const wanted = callings(place, value), control = place.elements[0];
    const opening = await openList(place);
    const options = opening ? optionsIn(opening.list) : [];
    const option = options.find((each) => fitsOption(each, wanted)) ?? null;
    if (option) return option;
    const field = typable(place);
    if (field && searching !== `${place.address} ${value}`) {
      searching = `${place.address} ${value}`;
      const label = (place.field.options ?? []).find((pair) => pair.map(plain).some((each) => wanted.has(each)))?.[1] ?? String(value);
      if (activeElement() !== field) field.focus();
      selectAll(field);
      await typeKeys(field, label);
      throw new Refused("searching");
    }
    if (!opening) throw new Refused("not opened", { value });
    if (opening.opened) await closeList(place, opening.list);
    throw new Refused("no option", { value, offered: offeredBy(options).map(([offered]) => offered) });
  };
  // Where a choice takes text: the control or the search field in its list.
  const typable = (place) => {
    const control = place.elements[0], list = openedList(place);
    const found = [control, ...all(control, "input"), ...(list && list.localName !== "datalist" ? [...all(list, "input[type=search],input[role=combobox],input[role=searchbox]"), ...all(above(list) ?? list, "input[type=search],input[role=searchbox]")] : [])];
    return found.find((each) => /^(input|textarea)$/.test(each.localName) && !each.readOnly && !each.disabled && /^(text|search)$/.test(each.type) && isShown(each)) ?? null;
  };
  // Whether typing may bring options that the opened list does not show.
  const findsByTyping = (place, options) => {
    const input = typable(place), given = place.field.options;
    if (!input || !/^(list|both|inline)$/.test(input.getAttribute("aria-autocomplete") ?? "list")) return false;
    if (!input.hasAttribute("aria-autocomplete") && input.type !== "search" && options.length) return false;
    return !(given && given.every((pair) => options.some(([value, label]) => pair.map(plain).some((each) => each === plain(value) || each === plain(label)))));
  };
  const chosenOf = async (address) => { const place = placeOf(address); return place ? valueOf(place, kindOf(place.elements, place.field)) ?? [] : []; };
  // Of several, what is not wanted any more is taken away: in the list, else by its own button.
  const leaveOnly = async (place, step) => {
    const address = step.address, wanted = step.values.map((value) => callings(place, value));
    const unwanted = (each) => { const is = wanted.some((names) => names.has(plain(String(each)))); return step.mode === "except" ? is : step.mode === "also" ? false : !is; };
    for (const each of await chosenOf(address)) {
      if (!unwanted(each)) continue;
      const names = callings(placeOf(address), each), before = (await chosenOf(address)).length;
      const remove = tokensOf(placeOf(address), [[...names]]).map(([, token]) => removerOf(token)).find(Boolean);
      if (remove) { click(remove); await rest(); }
      if ((await chosenOf(address)).length < before) continue;
      const opening = await openList(placeOf(address));
      const option = opening ? optionsIn(opening.list).find((option) => fitsOption(option, names)) : null;
      if (!option) throw new Refused("not removed", { value: each });
      hover(option);
      click(option);
      await rest();
    }
    if (step.mode === "except") step.values = [];
  };
  // The parts of the page that stand for a chosen value each: [value, element].
  const CROSSES = /[\s\u00d7\u2715\u2716\u2573\u2a2f]+$/;
  const tokensOf = (place, pairs) => {
    const box = place.territory ?? territoryFor(place);
    if (!box) return [];
    const lists = listsOf(place), found = [];
    const calls = new Map(pairs.flatMap((pair) => pair.filter(Boolean).map((each) => [plain(String(each)), pair[0]])));
    for (const element of all(box, "*")) {
      if (/^(option|select|script|style|label|input)$/.test(element.localName) || !isShown(element) || lists.some((list) => holds(list, element))) continue;
      if (closest(element, "label") && !closest(element, "button,[role=button]")) continue;
      const text = plain(textOf(element)).replace(CROSSES, "");
      const value = calls.get(text) ?? calls.get(plain(element.getAttribute("data-value")));
      if (value === undefined) continue;
      if (found.some(([, other]) => holds(other, element))) continue;
      found.push([value, element]);
    }
    return found;
  };
  const territoryFor = (place) => { const spots = [...places()]; const owners = territories(spots, formOf()); const same = spots.find((each) => each.address === place.address); return same ? territoryOf(same, owners) : null; };
  const removerOf = (token) => {
    const inside = all(token, "button,[role=button],[aria-label],svg,i,a").filter(isShown);
    return inside.find((each) => /remove|delete|close|clear|\u00d7/i.test(`${each.getAttribute("aria-label") ?? ""} ${each.getAttribute("class") ?? ""} ${each.textContent}`)) ?? (token.localName === "button" ? token : token.nextElementSibling?.localName === "button" ? token.nextElementSibling : inside[0] ?? null);
  };

