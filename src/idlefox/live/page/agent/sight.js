  // ---------------------------------------------------------------- what a person sees of a control
  // A control drawn by its label alone is there for a person, too.
  const isSeen = (element) => (isShown(element) || (/^(checkbox|radio|file)$/.test(element.type) && Boolean(stands(element)))) && !isInert(element);
  // What is pressed for a control that is drawn by something else: its label, or the part around it.
  const stands = (element) => labelsOf(element).find(isShown) ?? (/^(checkbox|radio)$/.test(element.type) && above(element) && isShown(above(element)) && fieldsAround(above(element), element) ? above(element) : null);
  const fieldsAround = (node, element) => all(node, "input,select,textarea").every((each) => each === element);
  const isOff = (element) => element.matches(":disabled") || element.disabled === true || closest(element, "[aria-disabled=true]") !== null || closest(element, "fieldset:disabled") !== null && !closest(element, "legend");
  const isReadonly = (element) => element.readOnly === true || element.getAttribute("aria-readonly") === "true";
  const isTrue = (element, attribute) => !["", "false", null].includes(element.getAttribute(attribute));
  const activeElement = () => {
    let active = document.activeElement;
    while (active && rootOf(active)?.activeElement) active = rootOf(active).activeElement;
    return active === document.body || active === document.documentElement ? null : active;
  };
  const shownText = (element) => {
    if (childrenOf(element).some((each) => each.nodeType === Node.ELEMENT_NODE && isShown(each) && isClipped(each))) return plain(seenText(element));
    return plain(element.innerText ?? element.textContent) || (rootOf(element) || all(element, "slot").length ? plain(textOf(element)) : "");
  };
  // Without what only screen readers get.
  const seenText = (element) => childrenOf(element).map((each) => {
    if (each.nodeType === Node.TEXT_NODE) return each.data;
    if (each.nodeType !== Node.ELEMENT_NODE || !isShown(each) || isClipped(each)) return "";
    return isInline(each) ? seenText(each) : ` ${seenText(each)} `;
  }).join("");
  // The messages that an element holds: its list items, its paragraphs, or its text.
  const messagesIn = (element) => {
    if (!shownText(element) || !isShown(element)) return [];
    const items = all(element, "li");
    const blocks = element.childElementCount > 1 && [...element.children].every((child) => /^(p|div)$/.test(child.localName)) ? [...element.children] : [];
    const parts = items.length ? items : blocks.length ? blocks : [element];
    return parts.filter(isShown).map(shownText).filter(Boolean);
  };
  const isLoud = (element) => closest(element, "[role=alert],[aria-live=assertive],[aria-live=polite]") !== null && closest(element, "[role=status],output") === null;
  let refusedByBrowser = false; // the last press found an invalid control, and the browser sent nothing
  addEventListener("invalid", (event) => { if (event.target.form && !event.target.form.noValidate) refusedByBrowser = true; }, true);
  let bubble = null; // the browser's own text at a refused submission
  addEventListener("invalid", (event) => {
    const control = event.target;
    nextTask().then(() => { if (!event.defaultPrevented && control.form && !control.form.noValidate && !bubble && activeElement() === control) bubble = { control, text: control.validationMessage }; });
  }, true);
  for (const type of ["input", "blur", "change"]) addEventListener(type, (event) => { if (bubble && event.composedPath()[0] === bubble.control) bubble = null; }, true);

  // ---------------------------------------------------------------- the part of the page that belongs to a field alone
  const MANY = { many: true };
  // node -> the address of the only field in it, or MANY. Made once for a look.
  const territories = (spots, scope) => {
    const found = new Map();
    const claim = (element, owner) => {
      for (let node = element; node; node = above(node)) {
        const there = found.get(node);
        if (there === owner || there === MANY) { if (there === MANY) return; } else found.set(node, there === undefined ? owner : MANY);
        if (node === scope) return;
      }
    };
    const known = new Set();
    for (const place of spots) if (place.kind === "field") for (const element of [...place.elements, ...place.carriers]) { known.add(element); claim(element, place.address); }
    for (const element of new Index(scope).controls) if (isControl(element) && isInteractive(element) && isSeen(element) && !known.has(element)) {
      const owner = [...known].find((each) => holds(element, each) || holds(each, element));
      if (!owner && !closest(element, "[role=listbox],[role=menu],[role=grid]")) claim(element, element);
    }
    return found;
  };
  // The greatest part of the page with no other field's control in it.
  const territoryOf = (place, owners) => {
    const control = place.elements[0];
    if (!control) return null;
    const around = place.field.around ?? general.around;
    const given = around ? closest(control, around.css) : null;
    if (given) return given;
    let box = null;
    for (let node = control; node && owners.get(node) === place.address && node !== place.scope && node !== document.body; node = above(node)) box = node;
    return box;
  };

