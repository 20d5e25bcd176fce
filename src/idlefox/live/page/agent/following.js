  // ---------------------------------------------------------------- following a person (settings.follow)
  // Reports each part of a person's actions at once: {do: edit, key, press, focus, blur, change, files, load}. Only trusted
  // events count; the player passes over those that its own acts lead to. What a part was about is found before the page reacts to it.
  const isListed = (place, target) => isWidget(place) && listsOf(place).some((list) => list !== EMPTY && list.localName !== "datalist" && holds(list, target));
  const ownsTarget = (place, target) => place.elements.some((element) => holds(element, target) || [...element.labels ?? []].some((label) => holds(label, target)));
  const isDrawnWide = ({ field, elements }) => field.choice || field.many || field.type === "date" || /^(spinbutton|slider|listbox)$/.test(roleOf(elements[0])) || elements[0].type === "file";
  // The field that *target* is a part of: its control, its label, its list, or what is drawn around a widget.
  const ownerOf = (target) => {
    const spots = [...places()].filter((place) => place.kind === "field" && place.elements.length);
    const own = spots.find((place) => ownsTarget(place, target)) ?? spots.find((place) => isListed(place, target));
    if (own) return own;
    const owners = territories(spots, formOf());
    return spots.find((place) => { const box = isDrawnWide(place) ? territoryOf(place, owners) : null; return box ? holds(box, target) : false; }) ?? null;
  };
  const pressedOf = (target) => {
    const is = (button) => Boolean(button) && (button === target || holds(button, target));
    for (const place of places()) {
      if (place.kind === "rows" && is(addButton(place))) return { add: place.address };
      if (place.kind === "row" && is(removeButton(place))) return { remove: place.address };
      if (place.kind !== "panel") continue;
      if (is(openButton(place))) return { open: place.address };
      if (place.elements.length && is(closeButton(place))) return { close: place.address };
      if (place.elements.length && is(panelButton(place.address))) return { panel: place.address };
    }
    if (is(submitButton())) return { submit: true };
    for (const kind of ["reset", "dismiss"]) if (is(otherButton(kind))) return { [kind]: true };
    const button = closest(target, `${BUTTONS},a[href],summary,[role=link]`);
    return button ? { named: nameOf(button), sends: button.type === "submit" && Boolean(button.form), inside: holds(formOf(), button) } : null;
  };
  const follow = (part) => tell?.(JSON.stringify({ doing: { ...part, document: id } }));
  if (settings.follow) {
    // The page can move the focus, too: only what follows a press or the Tab key at once was the person.
    let moves = "";
    const begins = (event) => { if (event.isTrusted && (event.type !== "keydown" || event.key === "Tab")) { moves = event.type === "keydown" ? "key" : "mouse"; nextTask().then(() => { moves = ""; }); } };
    for (const type of ["pointerdown", "mousedown", "keydown"]) addEventListener(type, begins, true);
    for (const type of ["pointerup", "mouseup", "click", "keyup"]) addEventListener(type, () => { moves = ""; }, true);
    const isOurs = (event) => !event.isTrusted;
    const targetOf = (event) => event.composedPath()[0];
    const isText = (element) => element.isContentEditable || element.localName === "textarea" || (element.localName === "input" && /^(text|search|url|tel|email|password|number)$/.test(element.type));
    const textOf = (element) => (element.isContentEditable ? element.innerText.replace(/\n$/, "") : element.value);
    const addressOf = (element) => ownerOf(element)?.address ?? null;
    const learn = (element) => {
      const place = ownerOf(element), was = place?.field.type === "date" ? dateOf(place) : "";
      if (isDay(was)) typedDays.set(place.address, was);
    };
    let editing = null, entered = null;
    addEventListener("beforeinput", (event) => {
      const element = targetOf(event).nodeType === Node.ELEMENT_NODE ? targetOf(event) : null;
      if (isOurs(event) || !element || !isText(element)) return;
      const was = textOf(element);
      let from = null, to = null;
      try { [from, to] = [element.selectionStart, element.selectionEnd]; } catch { /* it has none */ }
      editing = { element, was, all: from === 0 && to === was.length && was.length > 0, end: from === was.length };
    }, true);
    addEventListener("input", (event) => {
      const element = targetOf(event);
      if (isOurs(event) || !isText(element)) { if (!isOurs(event)) follow({ do: "change", address: addressOf(element) }); return; }
      const made = editing?.element === element ? editing : { was: "", all: false, end: false };
      editing = null;
      const data = event.data ?? (event.inputType === "insertLineBreak" || event.inputType === "insertParagraph" ? "\n" : null);
      follow({ do: "edit", address: addressOf(element), type: event.inputType ?? "", data, was: made.was, value: textOf(element), all: made.all, end: made.end });
    }, true);
    addEventListener("change", (event) => {
      const element = targetOf(event);
      if (isOurs(event) || isText(element)) return;
      const files = element.type === "file" ? [...element.files].map(({ name, size, type }) => ({ name, size, type })) : null;
      follow(files ? { do: "files", address: addressOf(element), files } : { do: "change", address: addressOf(element) });
    }, true);
    addEventListener("keydown", (event) => {
      if (isOurs(event) || event.repeat && event.key.length === 1) return;
      const element = targetOf(event), key = event.key === " " ? "Space" : event.key, presses = /^(button|link|tab|menuitem|option)$/.test(roleOf(element));
      if (key === "F2") { event.preventDefault(); event.stopImmediatePropagation(); follow({ do: "key", key }); return; }
      if (isText(element) && (event.key.length === 1 || /^(Backspace|Delete)$/.test(key)) || presses && /^(Enter|Space)$/.test(key) || /^(Shift|Control|Alt|Meta|Dead|Unidentified)$/.test(key)) return;
      if (element.localName === "textarea" && key === "Enter" || event.key.length === 1 && key !== "Space") return;
      if (/^(Enter|Tab)$/.test(key)) learn(element);
      entered = key === "Enter" ? element : null; // a press that it leads to is not told (HTML, "implicit submission")
      follow({ do: "key", key: event.shiftKey ? `Shift+${key}` : key, address: addressOf(element) });
    }, true);
    addEventListener("keyup", () => { entered = null; }, true);
    addEventListener("click", (event) => {
      const element = targetOf(event);
      if (isOurs(event) || (entered && event.detail === 0) || element.nodeType !== Node.ELEMENT_NODE) return;
      const button = pressedOf(element), known = button && button.named === undefined ? button : null;
      follow({ do: "press", button: known ?? (ownerOf(element) ? null : button), address: known ? null : addressOf(element), what: nameOf(closest(element, `${BUTTONS},a,summary,label`) ?? element).slice(0, 60) || described(element) });
    }, true);
    addEventListener("focusin", (event) => { if (moves) follow({ do: "focus", by: moves, address: addressOf(targetOf(event)) }); }, true);
    addEventListener("pointerdown", (event) => { if (!isOurs(event) && activeElement()) learn(activeElement()); }, true);
    addEventListener("focusout", (event) => { if (moves && !event.relatedTarget && document.hasFocus()) follow({ do: "blur", by: moves }); }, true);
    const how = performance.getEntriesByType?.("navigation")[0]?.type;
    if (/^(reload|back_forward)$/.test(how ?? "")) follow({ do: "load", how });
  }
