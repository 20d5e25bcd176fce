  // ---------------------------------------------------------------- finding
  const CONTROLS = "input,select,textarea,button,fieldset,output,form,a[href],summary,[role],[contenteditable]";
  const INTERACTIVE = /^(textbox|searchbox|spinbutton|slider|combobox|listbox|checkbox|switch|radio|radiogroup)$/;
  const add = (map, key, value) => { if (!key) return; if (!map.has(key)) map.set(key, [value]); else if (!map.get(key).includes(value)) map.get(key).push(value); };
  // A form owns controls that stand elsewhere, and not those that say they are another's.
  const controlsOf = (scope, selector) => {
    const found = all(scope, selector);
    if (scope.localName !== "form") return found;
    const far = [...scope.elements].filter((element) => !holds(scope, element));
    return [...found.filter((element) => !element.form || element.form === scope), ...far];
  };
  // The controls of a scope by their names and labels; made when they are asked for, and for one look only.
  class Index {
    constructor(scope) { this.scope = scope; this.controls = controlsOf(scope, formElements.size ? `${CONTROLS},${[...formElements].join(",")}` : CONTROLS); }
    get names() {
      if (!this.byName) { this.byName = new Map(); for (const element of this.controls) add(this.byName, element.getAttribute("name"), element); }
      return this.byName;
    }
    get labels() {
      if (!this.byLabel) { this.byLabel = new Map(); for (const element of this.controls) add(this.byLabel, bare(nameOf(element)), element); }
      return this.byLabel;
    }
    // By a single one of the elements that name it, or by a label that names something hidden: a widget may add its value to its name.
    get parts() {
      if (!this.byPart) {
        this.byPart = new Map();
        for (const element of this.controls) for (const label of [...referred(element, "aria-labelledby"), ...labelsOf(element)]) add(this.byPart, bare(labelText(label, element)), element);
      }
      return this.byPart;
    }
    // *what*: {css} or {role, name}
    find(what) {
      if (what.css !== undefined) return all(this.scope, what.css);
      if (what.role === "progressbar") return all(this.scope, "progress,[role=progressbar]");
      const named = what.name !== undefined ? this.labels.get(bare(what.name)) ?? this.parts.get(bare(what.name)) ?? [] : this.controls;
      return what.role ? named.filter((element) => roleOf(element) === what.role) : named;
    }
  }
  const opens = (element) => /^(listbox|menu|grid|tree|dialog|true)$/.test(element.getAttribute("aria-haspopup") ?? "");
  // A button is a field's control only if it opens what the field chooses from.
  const isControl = (element, field) => {
    if (/^(form|a)$/.test(element.localName)) return false;
    if (element.localName !== "button" && roleOf(element) !== "button") return true;
    return opens(element) && Boolean(field && (field.choice || field.type === "date"));
  };
  // How a name attribute may write an address.
  const writings = (segments) => {
    let dots = "", brackets = "", mixed = "";
    for (const segment of segments) {
      const number = typeof segment === "number";
      mixed += number ? `[${segment}]` : mixed ? `.${segment}` : segment;
      dots += dots ? `.${segment}` : segment;
      brackets += brackets ? `[${segment}]` : segment;
    }
    return [mixed, brackets, dots, String(segments.at(-1))];
  };
  const GROUPS = "fieldset,[role=group],[role=radiogroup],li,[role=listitem],tr,[role=row]";
  // Some controls have no role: dates and passwords.
  const isInput = (element) => element.localName === "input" && !/^(button|submit|reset|image|hidden)$/.test(element.type);
  const drawsButton = (element) => { const root = rootOf(element); return roleOf(element) === "button" || Boolean(root?.querySelector("button,a") && !root.querySelector("input,select,textarea,[role=combobox]")); };
  const isInteractive = (element) => INTERACTIVE.test(roleOf(element)) || isInput(element) || element.isContentEditable || (formElements.has(element.localName) && !drawsButton(element));
  // Carries a value, but is nothing that a person acts on: hidden, or the original that a widget has replaced.
  const isOriginal = (element, scope) => {
    if (isInertWithin(element, scope)) return true;
    if (element.localName === "input" && element.type === "hidden") return true;
    if (/^(checkbox|radio|file|range)$/.test(element.type)) return false;
    if (element.labels?.length && !isShown(element) && ![...element.labels].some(isShown)) return false; // the page hides the field, label and all
    return /^(input|select|textarea)$/.test(element.localName) && isClipped(element) && (element.tabIndex < 0 || !isShown(element));
  };
  const carries = (element) => /^(input|select|textarea)$/.test(element.localName) || formElements.has(element.localName);
  // The elements of one field: by the map, else by its name attribute, its id or its label.
  const candidatesOf = (field, segments, index) => {
    if (field.find) return index.find(field.find);
    const control = (element) => isControl(element, field);
    if (field.named) {
      const same = (index.names.get(field.named) ?? []).filter(control);
      return field.nth === undefined ? same : same.slice(field.nth, field.nth + 1);
    }
    for (const name of field.send ? [field.send, ...writings(segments)] : writings(segments)) {
      const found = (index.names.get(name) ?? []).filter(control);
      if (found.length) return found;
    }
    const own = byId(index.scope.nodeType === Node.DOCUMENT_NODE ? document.documentElement : index.scope, writings(segments)[0]);
    if (own && isControl(own, field) && holds(index.scope, own) && (isInteractive(own) || carries(own) || /^(group|radiogroup)$/.test(roleOf(own)))) return [own];
    const label = bare(field.label), labelled = (index.labels.get(label) ?? []).filter(control);
    if (labelled.some((element) => isInteractive(element) && !isOriginal(element, index.scope))) return labelled;
    return [...labelled, ...(index.parts.get(label) ?? []).filter((element) => control(element) && !labelled.includes(element))];
  };
  // {elements: what a person acts on, carriers: what has the value besides, two: the controls between which nothing decides}
  const elementsOf = (field, segments, index) => {
    const { scope } = index;
    let found = candidatesOf(field, segments, index);
    if (!found.length) return { elements: [], carriers: [] };
    if (field.find || field.named) return { elements: membersOf(found, field), carriers: carriersBeside(found, field, scope) };
    const carriers = found.filter((element) => carries(element) && isOriginal(element, scope));
    found = found.filter((element) => !isInertWithin(element, scope) && !carriers.includes(element));
    if (!found.length && !carriers.length) found = candidatesOf(field, segments, index); // the page has put it out of reach
    if (found.some(isInteractive)) found = found.filter((element) => isInteractive(element) || opens(element));
    found = found.filter((element) => !found.some((other) => other !== element && isPartOf(element, other, found)));
    if (!found.length && carriers.length) {
      const widget = widgetOf(carriers[0], field, scope);
      // Without a widget it is a field that the page hides.
      return widget ? { elements: membersOf([widget], field), carriers } : { elements: membersOf(carriers, field), carriers: [] };
    }
    const elements = membersOf(found, field), several = /^(checkbox|switch|radio)$/.test(roleOf(elements[0] ?? document.body)) || field.type === "date";
    const seen = several ? elements : elements.filter(isSeen);
    const two = !several && seen.length > 1 && !field.named ? seen.slice(0, 2) : null;
    return { elements: seen.length ? seen : elements, carriers: carriers.length ? carriers : carriersBeside(elements, field, scope), two };
  };
  // A list, an inner input or a group belongs to the control that opens, holds or stands in it.
  const isPartOf = (element, other, found) => {
    const role = roleOf(element), others = roleOf(other);
    if (/^(listbox|menu|grid|tree|dialog)$/.test(role) && /^(combobox|textbox|searchbox|button)$/.test(others) && !(element.localName === "select")) return true;
    if (holds(other, element) && /^(combobox|spinbutton|slider|radiogroup)$/.test(others)) return others !== "radiogroup";
    if (/^(group|radiogroup)$/.test(role) && holds(element, other) && found.length > 1) return role === "group";
    return formElements.has(other.localName) && holds(other, element) ? false : formElements.has(element.localName) && holds(element, other);
  };
  // What could be another field's.
  const fieldsIn = (node, without) => all(node, "input,select,textarea,[role],[contenteditable]").filter((each) => each !== without && each.type !== "hidden" && isInteractive(each)
    && roleOf(each) !== "radiogroup" && !isInertWithin(each, node) && isShown(each) && !closest(above(each), "[role=listbox],[role=dialog],[role=combobox],[role=spinbutton]:not(input)"));
  // The control that stands for an original: it says so, it is called the same, or it is alone with it.
  const widgetOf = (original, field, scope) => {
    if (original.id) {
      const says = all(scope, "[aria-controls],[aria-owns],[aria-labelledby]").find((each) => isInteractive(each) && each !== original && !isOriginal(each, scope)
        && ["aria-controls", "aria-owns"].some((name) => referred(each, name).includes(original)));
      if (says) return says;
    }
    const around = closest(original, "[role=combobox],[role=listbox],[role=textbox],[role=button][aria-haspopup]");
    if (around && around !== original && isSeen(around) && holds(scope, around)) return around;
    for (let node = above(original); node && node !== above(scope); node = above(node)) {
      const inside = fieldsIn(node, original), sets = new Set(inside.map((each) => each.name || each));
      if (inside.length && (sets.size === 1 || node === scope)) return sets.size === 1 && node !== scope ? inside[0] : null;
      if (inside.length > 1) return inside.every((each) => !each.name && bare(nameOf(each)) !== bare(nameOf(inside[0]))) ? null : inside[0];
      const button = field.choice || field.type === "date" ? all(node, "button,[role=button]").filter((each) => opens(each) && isSeen(each)) : [];
      if (button.length === 1 && node !== scope) return button[0];
      if (node === scope) return null;
    }
    return null;
  };
  // The original of a control that was found: what carries a value beside it, where no other field is.
  const carriersBeside = (controls, field, scope) => {
    const control = controls[0];
    if (!control || !(field.choice || field.type === "date") || (control.localName === "select") || /^(radio|checkbox)$/.test(control.type)) return [];
    for (let node = above(control); node && node !== scope; node = above(node)) {
      if (fieldsIn(node, control).some((each) => !holds(control, each) && !controls.includes(each) && !holds(each, control))) return [];
      const found = all(node, "input,select,textarea").filter((each) => each !== control && isOriginal(each, scope) && !holds(control, each) && (each.localName === "select" || each.name || isInertWithin(each, scope)));
      if (found.length) return found;
    }
    return [];
  };
  // A custom element with one control in its shadow root is that control.
  const innerOf = (element) => {
    if (!element.localName.includes("-")) return element;
    const root = rootOf(element);
    if (!root) return element;
    const inside = all(element, CONTROLS).filter((each) => each.getRootNode() !== element.getRootNode() && isControl(each) && (INTERACTIVE.test(roleOf(each)) || isInput(each)) && !isInertWithin(each, element));
    const outer = inside.filter((each) => !inside.some((other) => other !== each && holds(other, each)) && roleOf(each) !== "listbox");
    return outer.length === 1 ? outer[0] : element;
  };
  // Of a choice drawn as several controls, those; what stands around them carries its name.
  const SET = "input[type=radio],input[type=checkbox],[role=radio],[role=checkbox],[role=switch]";
  const membersOf = (controls, field) => {
    const found = controls.map(innerOf);
    const boxes = field.choice && found.length === 1 && /^(group|radiogroup)$/.test(roleOf(found[0])) && all(found[0], SET).length > 0;
    if (!(field.set || boxes) || !found.length) return found;
    const inside = found.flatMap((element) => (/^(group|radiogroup)$/.test(roleOf(element)) ? outermost(all(element, SET)) : [element]));
    return inside.length === 1 && /^(radio|checkbox)$/.test(inside[0].type) ? siblingsOf(inside[0]) : inside.length ? inside : found;
  };
  const outermost = (elements) => { const shown = elements.filter((each) => !elements.some((other) => other !== each && holds(other, each))); return shown; };
  // All of a choice of which one control was found: those of its name, else those in its group.
  const siblingsOf = (element) => {
    const same = element.name ? all(element.form ?? document, `input[type=${element.type}]`).filter((other) => other.name === element.name)
      : all(closest(element, "fieldset,[role=group],[role=radiogroup]") ?? document.createDocumentFragment(), `input[type=${element.type}]`);
    return same.length ? same : [element];
  };
  // The groups that hold a row each: the nearest one around each of the first field's controls that has the others, too.
  const rowsOf = (field, segments, scope, index) => {
    if (field.rows) return index.find(field.rows);
    const children = Object.entries(field.fields).filter(([, child]) => !child.fields);
    const matches = (group) => children.filter(([name, child]) => elementsOf(child, [...segments, 0, name], new Index(group)).elements.length).length;
    const counts = new Map();
    let best = [], most = 0;
    const groups = all(scope, GROUPS).filter((group) => !/^(radiogroup)$/.test(roleOf(group)) && !isInertWithin(group, scope) && !closest(group, "[role=listbox],[role=grid],[role=menu]"));
    for (const group of groups) counts.set(group, matches(group));
    for (const group of groups) {
      if (group === scope || groups.some((inner) => inner !== group && holds(group, inner) && counts.get(inner) === counts.get(group))) continue;
      const found = counts.get(group);
      if (found > most) { best = [group]; most = found; } else if (found && found === most) best.push(group);
    }
    return best.length ? best : rowsByPlace(field, segments, index, children);
  };
  // Without groups: one part of the page for each of the controls of the first field's name or label.
  const rowsByPlace = (field, segments, index, children) => {
    const [name, child] = children[0] ?? [];
    if (!child || child.find) return [];
    const labelled = (index.labels.get(bare(child.label)) ?? []).filter((each) => isInteractive(each) && isControl(each, child) && isSeen(each));
    const named = index.controls.filter((each) => writings([...segments, 0, name]).slice(0, 3).some((written) => each.getAttribute("name") === written.replace(/\b0\b/, (/\d+/.exec(each.getAttribute("name") ?? "") ?? [""])[0])) && isSeen(each));
    const first = named.length ? named : labelled;
    if (first.some((each) => Object.hasOwn(map.fields, each.getAttribute("name") ?? ""))) return [];
    return first.map((control) => {
      let row = control;
      while (above(row) && above(row) !== index.scope && !first.some((other) => other !== control && holds(above(row), other))) row = above(row);
      return row;
    });
  };

  // Every place of the form on the page now: {address, field, elements, scope, kind}, kind one of field, rows, row, group.
  const EMPTY = document.createDocumentFragment();
  const map = settings.map;
  const general = map.fields["*"] ?? {};
  delete map.fields["*"];
  let hadForm = false;
  const formOf = () => {
    if (map.form) return new Index(document).find(map.form)[0] ?? EMPTY;
    const form = all(document, "form,[role=form]").find((each) => !closest(each, "dialog,[role=dialog]") || isShown(each));
    if (form) { hadForm = true; return form; }
    return hadForm ? EMPTY : document.body ?? EMPTY;
  };
  const written = (segments) => segments.reduce((text, segment) => (typeof segment === "number" ? `${text}[${segment}]` : text ? `${text}.${segment}` : segment), "");
  const places = function* (wanted = null) {
    yield* placesIn(formOf(), map.fields, [], wanted);
  };
  const placesIn = function* (scope, fields, around, wanted) {
    let index = null;
    for (const [name, field] of Object.entries(fields)) {
      const segments = [...around, name], address = written(segments);
      if (wanted && !wanted.some((each) => each === address || each.startsWith(`${address}.`) || each.startsWith(`${address}[`))) continue;
      index ??= new Index(scope);
      if (field.kind === "rows") {
        const box = groupOf(field, index, name) ?? scope;
        const rows = rowsOf(field, segments, box, box === scope ? index : new Index(box));
        yield { kind: "rows", address, field, elements: rows, scope: box };
        for (const [number, row] of rows.entries()) {
          yield { kind: "row", address: `${address}[${number}]`, field, elements: [row], scope: row };
          yield* placesIn(row, field.fields, [...segments, number], wanted);
        }
      } else if (field.kind === "panel") {
        const box = dialogOf(field);
        const open = box !== null && isShown(box);
        yield { kind: "panel", address, field, elements: open ? [box] : [], scope: box ?? EMPTY };
        if (open) yield* placesIn(box, field.fields, segments, wanted);
      } else if (field.kind === "group") {
        const box = groupOf(field, index, name);
        yield { kind: "group", address, field, elements: box ? [box] : [], scope: box ?? scope };
        yield* placesIn(box ?? scope, field.fields, segments, wanted);
      } else yield { kind: "field", address, field, ...ownOf(elementsOf(field, segments, index), index), scope };
    }
  };
  // Where two controls are called the same, one in a row or a dialog is not the form's own.
  const ownOf = (found, index) => {
    if (!found.two) return found;
    const lists = Object.values(map.fields).filter((field) => field.kind === "rows" && field.rows).flatMap((field) => new Index(document).find(field.rows));
    const apart = (element) => lists.some((row) => row !== index.scope && holds(row, element) && !holds(row, index.scope))
      || all(index.scope, `${GROUPS},dialog,[role=dialog],[role=alertdialog]`).some((group) => holds(group, element) && !found.elements.every((each) => holds(group, each)) && !/radiogroup/.test(roleOf(group)));
    const own = found.elements.filter((element) => !apart(element));
    return own.length === 1 ? { ...found, elements: own, two: null } : found;
  };
  // By its locator, its label, or its id.
  const groupOf = (field, index, name) => (field.find ? index.find(field.find) : [...index.labels.get(bare(field.label)) ?? [], ...index.scope === EMPTY ? [] : all(index.scope, `#${CSS.escape(name)}`)]).find((element) => /^(group|region|list|table|rowgroup|radiogroup)$/.test(roleOf(element)) || element.localName === "section") ?? null;
  // A panel is a dialog that is called as it is (WAI-ARIA, "dialog").
  const DIALOGS = "dialog,[role=dialog],[role=alertdialog],[popover]";
  const dialogOf = (field) => {
    const found = field.find ? new Index(document).find(field.find) : all(document, DIALOGS).filter((element) => titleOf(element) === bare(field.label));
    return found.find(isShown) ?? found[0] ?? null;
  };
  // Without a name, a dialog is called as its first heading is, else as its first line.
  const titleOf = (dialog) => bare(nameOf(dialog)) || bare(nameOf(all(dialog, "h1,h2,h3,h4,h5,h6,[role=heading],legend")[0] ?? dialog)) || bare(ownText(all(dialog, "*").find((each) => ownText(each) && isShown(each)) ?? dialog));
  // What opens it says so (aria-controls, commandfor, popovertarget, aria-haspopup, any attribute with #ID), else is called as it is.
  const openButton = (place) => {
    if (place.field.open) return new Index(document).find(place.field.open)[0] ?? null;
    const buttons = new Index(document).controls.filter((element) => /^(button|link)$/.test(roleOf(element)) && !holds(place.scope, element) && isSeen(element));
    const ids = pathIds(place.scope);
    const leads = (element) => ["aria-controls", "commandfor", "popovertarget"].some((name) => ids.includes(element.getAttribute(name))) || [...element.attributes].some(({ value }) => value.startsWith("#") && ids.includes(value.slice(1)));
    const label = bare(place.field.label).toLowerCase(), says = (element) => bare(nameOf(element)).toLowerCase().includes(label);
    const found = [buttons.filter(leads), buttons.filter((element) => element.getAttribute("aria-haspopup") === "dialog" && says(element)), buttons.filter(says)].find((some) => some.length === 1);
    return found ? found[0] : null;
  };
  // A dialog may be drawn in the shadow root of the element that is referred to.
  const pathIds = (element) => (element === EMPTY ? [] : [element.id, element.getRootNode().host?.id].filter(Boolean));
  const closeButton = (place) => {
    if (place.field.close) return new Index(place.scope).find(place.field.close)[0] ?? null;
    const buttons = all(place.scope, "button,[role=button]").filter(isShown);
    return all(place.scope, "[formmethod=dialog],[command=close],[command=request-close],form[method=dialog] button,[popovertargetaction=hide]")[0]
      ?? buttons.find((each) => /^(close|cancel|dismiss|abbrechen|schlie\u00dfen|\u00d7|\u2715|x)$/i.test(nameOf(each))) ?? null;
  };
  const panelButton = (address) => {
    const place = placeOf(address);
    const found = place ? all(place.scope, "button,input[type=submit],input[type=image],[role=button]").filter(isShown) : [];
    return found.find((element) => nameOf(element) === place.field.submitLabel) ?? found.find((element) => element.type === "submit" && element !== closeButton(place)) ?? null;
  };
  // An address with each row counted from the front.
  const counted = (address) => {
    for (let match; (match = /^(.*?)\[-(\d+)\]/.exec(address)); ) {
      const count = placeOf(match[1])?.elements.length ?? 0;
      address = `${match[1]}[${Math.max(0, count - match[2])}]${address.slice(match[0].length)}`;
    }
    return address;
  };
  const placeOf = (given) => {
    const address = counted(given);
    for (const place of places([address])) if (place.address === address) return place;
    return null;
  };
  const BUTTONS = "button,input[type=submit],input[type=image],input[type=button],input[type=reset],[role=button]";
  const submitButton = () => {
    const scope = formOf();
    if (map.submit) return new Index(document).find(map.submit)[0] ?? null;
    // Of several, the one that the sheet calls so; what nobody sees is there for Enter alone.
    const inside = scope === EMPTY ? [] : controlsOf(scope, BUTTONS).filter((button) => !closest(button, "dialog,[role=dialog]") || closest(scope, "dialog,[role=dialog]"));
    const called = map.submitLabel ? inside.filter((button) => nameOf(button) === map.submitLabel) : [];
    const sends = inside.filter((button) => (button.type === "submit" || button.type === "image") && button.form === scope);
    return called.find(isShown) ?? sends.find(isShown) ?? called[0] ?? sends[0] ?? inside.find((button) => button.getRootNode().host?.type === "submit" && isShown(button))
      ?? (map.submitLabel ? new Index(document).find({ role: "button", name: map.submitLabel })[0] : null) ?? null;
  };
  const buttonOf = (button) => (button.panel ? panelButton(button.panel) : button.kind ? otherButton(button.kind) : button.named ? namedButton(button.named) : submitButton());
  // By its text or label, else by its name or id.
  const namedButton = (name) => {
    const called = new Index(document).find({ role: "button", name }), scope = formOf();
    return called.find((each) => isSeen(each) && scope !== EMPTY && holds(scope, each)) ?? called.find(isSeen) ?? called[0]
      ?? all(document, "button,input,[role=button]").find((each) => roleOf(each) === "button" && (each.getAttribute("name") === name || `#${each.id}` === name)) ?? null;
  };
  const otherButton = (kind) => {
    if (kind === "reset") return map.reset ? new Index(document).find(map.reset)[0] ?? null : all(formOf(), "button[type=reset],input[type=reset]")[0] ?? null;
    for (const notice of noticesOf(new Set())) if (isShown(notice)) for (const button of new Index(notice).controls) if (roleOf(button) === "button") return button;
    return null;
  };
  const addButton = (place) => {
    if (place.field.add) return new Index(document).find(place.field.add)[0] ?? null;
    const outside = new Index(place.scope).controls.filter((element) => roleOf(element) === "button" && element !== submitButton() && !opens(element) && isSeen(element) && !place.elements.some((row) => holds(row, element)));
    return outside.length === 1 ? outside[0] : addsBySaying(place, outside);
  };
  // Of several buttons, the one next to the rows that says it adds.
  const addsBySaying = (place, buttons) => {
    const says = buttons.filter((each) => /^(\+|add|new|another|more)\b|^\+|\badd\b|\banother\b/i.test(nameOf(each)));
    const label = bare(place.field.label).toLowerCase(), stem = label.replace(/(ies|es|s)$/, "");
    const own = says.filter((each) => stem && nameOf(each).toLowerCase().includes(stem));
    return own.length === 1 ? own[0] : says.length === 1 ? says[0] : null;
  };
  const removeButton = (place) => {
    const inside = place.field.remove ? new Index(place.scope).find(place.field.remove) : new Index(place.scope).controls.filter((element) => roleOf(element) === "button" && !opens(element));
    if (inside.length < 2 || place.field.remove) return inside.length === 1 ? inside[0] : null;
    const says = inside.filter((each) => /\b(remove|delete|discard)\b|^[\u00d7\u2715\u2716x-]$/i.test(nameOf(each)));
    return says.length === 1 ? says[0] : null;
  };

