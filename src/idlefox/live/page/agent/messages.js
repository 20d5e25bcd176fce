  // ---------------------------------------------------------------- messages
  // Texts as they were when a field was first seen unmarked: hints, labels, counters. By address, rows as [*].
  const baseline = new Map();
  const anyRow = (address) => address.replace(/\[\d+\]/g, "[*]");
  const withoutDigits = (text) => text.replace(/\d+/g, "#");
  const hints = new WeakMap(); // descriptions that were there at load: hints, no messages
  const noteHints = (known = null) => {
    for (const element of all(document, "*")) if (element.shadowRoot && !roots.has(element.shadowRoot)) observe(element.shadowRoot); // declared in the markup
    for (const element of all(document, "[aria-describedby]")) {
      if (!known && isTrue(element, "aria-invalid")) continue;
      for (const description of referred(element, "aria-describedby")) {
        const text = shownText(description);
        if (!hints.has(description) && isShown(description) && (!known || known.includes(text))) { hints.set(description, text); hintTexts.add(text); }
      }
    }
  };
  // What was there at load is no message and no notice. Of a later document of the same scenario it is what the first one had.
  const noteLoad = (notes) => {
    noteHints(notes?.hints);
    hadForm ||= notes?.form ?? false;
    if (!notes) {
      for (const element of quietParts()) atLoad.add(element);
      look();
      return { form: hadForm, hints: [...hintTexts], quiet: quietParts().map(shownText), baseline: [...baseline].map(([address, { texts, classes }]) => [address, [...texts], [...classes ?? []]]) };
    }
    for (const element of quietParts()) if (notes.quiet.includes(shownText(element))) atLoad.add(element);
    for (const [address, texts, classes] of notes.baseline) baseline.set(address, { texts: new Set(texts), classes: new Set(classes) });
    return notes;
  };
  const quietParts = () => all(document, QUIET).filter((element) => isShown(element) && shownText(element));
  const hintTexts = new Set();
  const QUIET = "[role=status],[role=log],[aria-live=polite]";
  const atLoad = new WeakSet();
  const isHint = (element) => hints.get(element) === shownText(element) || (hints.has(element) && withoutDigits(hints.get(element)) === withoutDigits(shownText(element)));
  const summaries = () => {
    const given = map.summary ? new Index(document).find(map.summary) : all(document, "[role=alert],[role=alertdialog]").concat(all(document, "[tabindex='-1']").filter((each) => !/^(input|button|a)$/.test(each.localName)));
    return given.filter((each) => isShown(each) && all(each, "a[href^='#']").length);
  };
  // In an error summary, the text of a link #ID is a message of the control with that id (or of what it stands in).
  const summarised = (place, claimed) => {
    const found = [];
    for (const summary of lookSummaries) for (const link of all(summary, "a[href^='#']")) {
      const target = document.getElementById(decodeURIComponent(link.getAttribute("href").slice(1)));
      if (!target || !place.elements.some((each) => each === target || each.name === target.id || (target.localName !== "form" && holds(target, each) && place.elements.length > 1))) continue;
      claimed?.add(link);
      if (isShown(link)) found.push(shownText(link));
    }
    return found;
  };
  let lookSummaries = [];

  const messagesOf = (place, claimed, wrong) => {
    const found = [], seen = new Set();
    const take = (element, sure) => {
      if (!element || seen.has(element)) return;
      seen.add(element);
      claimed?.add(element);
      if (sure || !isHint(element)) found.push(...messagesIn(element));
    };
    const { field, elements, scope } = place;
    if (field.shows) {
      const around = place.kind === "field" ? scope : place.elements[0] ?? scope;
      const inside = around === document ? [] : new Index(around).find(field.shows);
      const beyond = inside.length || closest(scope === EMPTY ? document.body : scope, "form") === null || /\[\d+\]/.test(place.address) ? [] : new Index(document).find(field.shows);
      for (const element of inside.concat(beyond)) take(element, true);
      return found;
    }
    const holders = place.kind === "field" ? [...groupsAround(place), ...elements.slice(0, 20).flatMap(around)] : place.kind === "rows" ? [place.scope] : elements;
    for (const holder of holders) {
      if (!holder?.getAttribute) continue;
      const marked = wrong || isTrue(holder, "aria-invalid");
      if (marked || isTrue(elements[0] ?? holder, "aria-invalid")) for (const element of referred(holder, "aria-errormessage")) take(element, true);
      for (const element of referred(holder, "aria-describedby")) if (!closest(element, "[role=status],output") && (marked ? !isHint(element) || isLoud(element) || !hints.has(element) : isLoud(element) || !isHint(element))) take(element, isLoud(element));
    }
    if (place.kind === "field" && general.shows && place.territory) for (const element of new Index(place.territory).find(general.shows)) take(element, true);
    for (const text of summarised(place, claimed)) if (!found.includes(text)) found.push(text);
    if (bubble && elements.includes(bubble.control)) found.push(bubble.text);
    return found;
  };
  // The groups that hold a choice of several controls, and no other field.
  const groupsAround = (place) => {
    const found = [];
    if (place.elements.length < 2 && !/^(radio|checkbox)$/.test(place.elements[0]?.type)) return found;
    for (let node = above(place.elements[0]); node && place.territory && holds(place.territory, node); node = above(node)) if (node.matches("fieldset,[role=radiogroup],[role=group]")) found.push(node);
    const nearest = place.elements.length > 1 ? closest(place.elements[0], "fieldset,[role=radiogroup],[role=group]") : null;
    return nearest && !found.includes(nearest) ? [nearest, ...found] : found;
  };
  // A control that a custom element draws is described at the element, too.
  const around = (element) => (element && element.getRootNode().host && element.getRootNode() !== document ? [element, element.getRootNode().host] : [element]);
  // Alerts in a group that no field of it has claimed are the group's own; a lone field's group is its wrapper.
  const alertsOf = (place, claimed) => {
    const lone = place.kind === "field" && place.elements.length < 2;
    const box = lone ? place.territory : place.kind === "field" ? closest(place.elements[0], "fieldset,[role=radiogroup],[role=group]") : place.kind === "rows" ? place.scope : place.elements[0];
    if (!box || box === formOf() || box === document.body) return [];
    const found = [];
    for (const alert of all(box, "[role=alert],[aria-live=assertive]")) {
      if (claimed.has(alert) || [...claimed].some((other) => holds(alert, other) || holds(other, alert))) continue;
      if (place.kind === "rows" && place.elements.some((row) => holds(row, alert))) continue;
      claimed.add(alert);
      found.push(...messagesIn(alert));
    }
    return found;
  };

  // Messages by place: visible texts that no other source has claimed.
  const NO_MESSAGE = "label,legend,button,option,select,textarea,script,style,template,title,datalist,[role=button],[role=option],[role=listbox],[role=grid],[role=menu],[role=combobox],[contenteditable],[role=alert],[role=status],[role=tooltip],output,dialog[open],[role=dialog],h1,h2,h3";
  const ownText = (element) => { let text = ""; for (const child of childrenOf(element)) if (child.nodeType === Node.TEXT_NODE) text += child.data; return plain(text); };
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
    if (scope === EMPTY || !spots.some((place) => place.field.says)) return [];
    const own = [], owners = new Map(), taken = new Set(claimed);
    for (const element of new Index(scope).controls) if (isControl(element) && isInteractive(element) && isSeen(element)) owners.set(element, null);
    for (const place of spots) for (const element of place.elements) if (place.kind === "field") owners.set(element, place);
    const isTaken = (element) => { for (let node = element; node; node = above(node)) if (taken.has(node)) return true; return false; };
    for (const element of all(scope, "*")) {
      const direct = ownText(element);
      if (!direct || closest(element, NO_MESSAGE.replace("label,", "")) || isTaken(element) || element.localName === "label") continue;
      const texts = [plain(element.textContent), direct];
      const said = texts.find((text) => spots.some((place) => isSaid(place.field, text)));
      if (said === undefined || !isShown(element) || isInertWithin(element, scope)) continue;
      taken.add(element);
      const around = spots.filter((place) => place.kind !== "field" && place.kind !== "row" && isSaid(place.field, said));
      const at = nearestTo(element, owners, scope).find((place) => isSaid(place.field, said))
        ?? around.findLast((place) => holds(place.elements[0] ?? place.scope, element)) ?? (around.length === 1 ? around[0] : null);
      const shows = at ? (at.kind === "field" ? found.fields : at.kind === "rows" ? found.rows : found.groups)[at.address]?.shows : own;
      if (shows && !shows.includes(said)) shows.push(said);
    }
    return own;
  };
  // The texts in a field's own part of the page, without its label, its options and what it is set to.
  const textsAt = (place, claimed) => {
    const box = place.territory, found = new Map();
    if (!box) return found;
    const labels = new Set(place.elements.flatMap((each) => [...labelsOf(each), ...referred(each, "aria-labelledby")]));
    for (const element of [box, ...all(box, "*")]) {
      const direct = ownText(element);
      if (!direct || !/[\p{L}\p{N}]/u.test(direct) || closest(element, NO_MESSAGE.replace("label,legend,", "")) || !isShown(element) || isInertWithin(element, box)) continue;
      if (closest(element, "label,legend") && direct && bare(direct) === bare(place.field.label)) continue;
      if ([...labels].some((label) => label === element && label.localName !== "label") || place.elements.some((each) => holds(each, element)) || isHint(element)) continue;
      if ([...claimed].some((other) => holds(other, element)) || isCutAway(element)) continue;
      if (!found.has(direct)) found.set(direct, element);
    }
    return found;
  };
  const classesAt = (place) => {
    const found = [], around = new Set(place.elements.slice(0, 1));
    for (let node = place.elements[0]; node && place.territory && holds(place.territory, node); node = above(node)) around.add(node);
    for (const node of around) found.push(...node.classList ?? []);
    return new Set(found);
  };
  const CALM = new RegExp(map.calm ?? "$^", "i");
  // How much was typed, or is left: no message.
  const isCount = (text, value) => {
    if (!/\d/.test(text)) return false;
    if (!/\p{L}/u.test(text) || /^\W*\d+\s*(\/|of\b|left\b|remaining\b|char)/i.test(text)) return true;
    return typeof value === "string" && value !== "" && new RegExp(`\\b${value.length}\\b`).test(text) && /char|letter|sign|zeichen/i.test(text);
  };
  // What has come since the field was first seen unmarked: {texts: [[text, element]], classes: [name]}.
  const appeared = (place, claimed, wrong) => {
    const key = anyRow(place.address), texts = textsAt(place, claimed), classes = classesAt(place);
    const known = baseline.get(key) ?? { texts: new Set(wrong ? [] : texts.keys()), classes: null };
    known.classes ??= classes;
    baseline.set(key, known);
    const counters = new Set([...known.texts].map(withoutDigits));
    const offered = new Set((place.field.options ?? []).flat());
    return {
      texts: [...texts].filter(([text]) => !known.texts.has(text) && !(counters.has(withoutDigits(text)) && /\d/.test(text)) && !offered.has(text) && !isCount(text, place.elements[0]?.value)),
      classes: [...classes].filter((name) => !known.classes.has(name) && !CALM.test(name)),
    };
  };

