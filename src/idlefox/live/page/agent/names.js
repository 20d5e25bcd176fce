  // ---------------------------------------------------------------- the flat tree (DOM; CSS Scoping, "flattening"), visibility
  const plain = (text) => (text ?? "").replace(/[\s\u00a0\u200b\u200c\u200d\ufeff]+/g, " ").trim();
  const slotOf = (node) => {
    if (node.assignedSlot) return node.assignedSlot;
    const root = node.parentNode?.nodeType === Node.ELEMENT_NODE ? closedRoots.get(node.parentNode) : null;
    if (!root || (node.nodeType !== Node.ELEMENT_NODE && node.nodeType !== Node.TEXT_NODE)) return null;
    return [...root.querySelectorAll("slot")].find((slot) => slot.name === (node.getAttribute?.("slot") ?? "")) ?? null;
  };
  // What is in no slot hangs on its own parent: it is not drawn, but it can be found.
  const above = (node) => slotOf(node) ?? (node.parentNode?.nodeType === Node.DOCUMENT_FRAGMENT_NODE ? node.parentNode.host : node.parentElement) ?? null;
  const childrenOf = (element) => {
    const root = rootOf(element);
    if (root) return [...root.childNodes];
    const assigned = element.localName === "slot" ? element.assignedNodes() : [];
    return assigned.length ? assigned : [...element.childNodes];
  };
  const holds = (scope, element) => {
    if (scope.nodeType === Node.DOCUMENT_NODE) return element.isConnected;
    for (let node = element; node; node = above(node)) if (node === scope) return true;
    return roots.size > 1 ? false : scope.contains(element);
  };
  const pathTo = (element) => { const path = []; for (let node = element; node; node = above(node)) path.unshift(node); return path; };
  const inFlatOrder = (a, b) => {
    const left = pathTo(a), right = pathTo(b);
    let i = 0;
    while (i < left.length && left[i] === right[i]) i++;
    if (!left[i] || !right[i]) return left.length - right.length;
    const siblings = i ? childrenOf(left[i - 1]) : [];
    const at = siblings.indexOf(left[i]), to = siblings.indexOf(right[i]);
    if (at >= 0 && to >= 0) return at - to;
    return left[i].compareDocumentPosition(right[i]) & Node.DOCUMENT_POSITION_FOLLOWING ? -1 : 1;
  };
  const trees = () => [...roots].filter((root) => root !== document && root.host?.isConnected);
  // All elements in *scope* that match, in the order of the flat tree. A scope is a document, an element or a fragment.
  const all = (scope, selector) => {
    const within = trees();
    if (!within.length || scope.nodeType === Node.DOCUMENT_FRAGMENT_NODE) return [...scope.querySelectorAll(selector)];
    const found = [document, ...within].flatMap((root) => [...root.querySelectorAll(selector)]).filter((element) => element !== scope && holds(scope, element));
    return found.some((element) => element.getRootNode() !== document) || within.some((root) => holds(scope, root.host)) ? found.sort(inFlatOrder) : found;
  };
  const closest = (element, selector) => { for (let node = element; node; node = above(node)) if (node.matches?.(selector)) return node; return null; };

  const isShown = (element) => {
    if (!element.isConnected || (element.localName === "input" && element.type === "hidden")) return false;
    if (element.checkVisibility({ visibilityProperty: true, contentVisibilityAuto: true })) return element.getClientRects().length > 0;
    if (getComputedStyle(element).display !== "contents") return false;
    return childrenOf(element).some((node) => (node.nodeType === Node.ELEMENT_NODE ? isShown(node) : node.nodeType === Node.TEXT_NODE && plain(node.data) && isDrawn(element)));
  };
  const isRendered = (element) => element.checkVisibility({ visibilityProperty: true }) || (getComputedStyle(element).display === "contents" && isDrawn(element));
  // Whether the direct text of an element without a box is visible.
  const isDrawn = (element) => { for (let node = above(element); node; node = above(node)) if (getComputedStyle(node).display !== "contents") return isShown(node); return true; };
  const isHiddenFromAll = (element) => element.getAttribute("aria-hidden") === "true" || element.inert === true;
  const isInert = (element) => { for (let node = element; node; node = above(node)) if (isHiddenFromAll(node)) return true; return false; };
  const isInertWithin = (element, scope) => { for (let node = element; node && node !== scope; node = above(node)) if (isHiddenFromAll(node)) return true; return false; };
  // Made as good as invisible: one pixel, or cut away.
  const isClipped = (element) => {
    if (!isShown(element)) return true;
    const box = element.getBoundingClientRect(), style = getComputedStyle(element);
    if (style.display === "contents") return false;
    return box.width <= 1 || box.height <= 1 || /^inset\((50|100)%/.test(style.clipPath) || /^rect\([01](px)?,? [01](px)?,? [01](px)?,? [01](px)?\)$/.test(style.clip);
  };

  // In a part that only screen readers get.
  const isCutAway = (element) => { for (let node = element, steps = 0; node && node !== document.body && steps < 4; node = above(node), steps++) if (getComputedStyle(node).display !== "contents" && isClipped(node)) return true; return false; };

  // ---------------------------------------------------------------- roles and names (ARIA in HTML; Accessible Name and Description Computation 1.2)
  const byId = (element, id) => { const root = element.getRootNode(); return root.getElementById ? root.getElementById(id) : document.getElementById(id); };
  const REFLECTED = { "aria-errormessage": "ariaErrorMessageElements", "aria-describedby": "ariaDescribedByElements", "aria-labelledby": "ariaLabelledByElements", "aria-controls": "ariaControlsElements", "aria-owns": "ariaOwnsElements" };
  const referred = (element, attribute) => {
    const ids = element.getAttribute(attribute);
    if (ids) return ids.split(/\s+/).map((id) => byId(element, id)).filter(Boolean);
    return [...(element[REFLECTED[attribute]] ?? [])];
  };
  const INPUT_ROLES = {
    text: "textbox", email: "textbox", tel: "textbox", url: "textbox", search: "searchbox", number: "spinbutton", range: "slider",
    checkbox: "checkbox", radio: "radio", button: "button", submit: "button", reset: "button", image: "button",
  };
  const ELEMENT_ROLES = {
    textarea: "textbox", button: "button", fieldset: "group", output: "status", dialog: "dialog", form: "form", option: "option", progress: "progressbar",
    summary: "button", table: "table", tbody: "rowgroup", tr: "row", ul: "list", ol: "list", li: "listitem", details: "group", h1: "heading", h2: "heading", h3: "heading",
  };
  const roleOf = (element) => {
    const given = element.getAttribute("role")?.trim().split(/\s+/)[0] || internals.get(element)?.role;
    if (given) return /^(none|presentation)$/.test(given) ? "" : given;
    if (element.localName === "input") {
      const role = INPUT_ROLES[element.type] ?? "";
      if (element.type === "checkbox" && element.hasAttribute("switch")) return "switch";
      return element.hasAttribute("list") && /^(textbox|searchbox)$/.test(role) ? "combobox" : role;
    }
    if (element.localName === "select") return element.multiple || element.size > 1 ? "listbox" : "combobox";
    if (element.localName === "a") return element.hasAttribute("href") ? "link" : "";
    return ELEMENT_ROLES[element.localName] ?? "";
  };
  const FROM_CONTENT = /^(button|link|option|radio|checkbox|switch|heading|tab|menuitem|menuitemradio|menuitemcheckbox|row|cell|gridcell|columnheader|rowheader|treeitem|tooltip)$/;
  const isInline = (element) => /^(inline|contents)/.test(getComputedStyle(element).display);
  const drawnText = (element, part) => { const { content } = getComputedStyle(element, part); return /^"/.test(content) ? content.replace(/^"|"$/g, "").replace(/\\(.)/g, "$1") : ""; };
  // 2C: a control inside of a label counts with its value.
  const embedded = (element, role) => {
    if (/^(textbox|searchbox)$/.test(role)) return element.value ?? element.textContent;
    if (/^(combobox|listbox)$/.test(role)) {
      if (element.selectedOptions) return [...element.selectedOptions].map((option) => option.label).join(" ");
      return element.value ?? all(element, "[role=option][aria-selected=true]").map((option) => option.textContent).join(" ");
    }
    if (/^(spinbutton|slider)$/.test(role)) return element.getAttribute("aria-valuetext") ?? element.getAttribute("aria-valuenow") ?? element.value ?? "";
    return null;
  };
  // 2F: the text of *node*: what is seen of it, in the flat tree. *without*: the control that is being named; *referred*: also what is hidden.
  const textOf = (node, without, met = new Set(), hidden = false) => {
    let text = node.nodeType === Node.ELEMENT_NODE ? drawnText(node, "::before") : "";
    for (const child of childrenOf(node)) {
      if (child.nodeType === Node.TEXT_NODE) text += child.data;
      if (child.nodeType !== Node.ELEMENT_NODE || child === without || met.has(child)) continue;
      if (/^(script|style|template|noscript)$/.test(child.localName) || child.getAttribute("aria-hidden") === "true") continue;
      if (child.localName === "br") { text += " "; continue; }
      if (!hidden && !isRendered(child)) continue;
      const space = isInline(child) ? "" : " ";
      text += space + partOf(child, without, new Set(met).add(child), hidden) + space;
    }
    return text + (node.nodeType === Node.ELEMENT_NODE ? drawnText(node, "::after") : "");
  };
  const partOf = (element, without, met, hidden) => {
    const role = roleOf(element), value = embedded(element, role);
    if (value !== null && value !== undefined) return plain(element.getAttribute("aria-label")) && role !== "textbox" ? element.getAttribute("aria-label") : value;
    const given = plain(element.getAttribute("aria-label"));
    if (given) return given;
    if (element.localName === "img" || (element.localName === "input" && element.type === "image")) return element.alt;
    if (element.localName === "input") return /^(submit|reset|button)$/.test(element.type) ? element.value : "";
    if (element.localName === "svg") return element.querySelector(":scope > title")?.textContent ?? "";
    return textOf(element, without, met, hidden) || (element.getAttribute("title") ?? "");
  };
  const labelText = (label, without) => plain(label.getAttribute("aria-label")) || plain(textOf(label, without, new Set([label]), !isShown(label)));
  const computeName = (element) => {
    const by = referred(element, "aria-labelledby");
    if (by.length) {
      const texts = by.map((label) => (label === element ? plain(element.getAttribute("aria-label")) || plain(textOf(element)) : labelText(label, element)));
      if (plain(texts.join(" "))) return plain(texts.join(" "));
    }
    const given = plain(element.getAttribute("aria-label") || internals.get(element)?.ariaLabel);
    if (given) return given;
    const labels = labelsOf(element);
    if (labels.length) { const text = plain(labels.map((label) => labelText(label, element)).join(" ")); if (text) return text; }
    const caption = { fieldset: ":scope > legend", table: ":scope > caption", figure: ":scope > figcaption", details: ":scope > summary" }[element.localName];
    const captioned = caption && element.querySelector(caption);
    if (captioned && plain(textOf(captioned))) return plain(textOf(captioned));
    if (element.localName === "input" && element.type === "image") return plain(element.alt) || plain(element.title) || "Submit";
    if (element.localName === "input" && /^(submit|reset|button)$/.test(element.type)) return plain(element.value) || { submit: "Submit", reset: "Reset" }[element.type] || plain(element.title);
    if (FROM_CONTENT.test(roleOf(element))) {
      const own = plain(textOf(element));
      if (own) return own;
    }
    const own = plain(element.getAttribute("title")) || plain(element.getAttribute("placeholder") ?? element.getAttribute("aria-placeholder"));
    // What a custom element draws is called as the element is.
    const host = element.getRootNode().host;
    return own || (host && INTERACTIVE.test(roleOf(element)) && host.localName.includes("-") ? hostName(host) : "");
  };
  const hostName = (host) => plain(host.getAttribute("aria-label") || host.getAttribute("label")) || plain(labelsOf(host).map((label) => labelText(label, host)).join(" "));
  // A label that a host carries in an attribute and draws in its shadow root is reached by the label element there.
  const labelsOf = (element) => {
    const own = [...(element.labels ?? (formElements.has(element.localName) ? internals.get(element)?.labels : null) ?? [])];
    return own.length ? own : element.localName.includes("-") && element.id ? [...document.querySelectorAll(`label[for=${CSS.escape(element.id)}]`)] : own;
  };
  let namesAt = -1;
  const names = new Map();
  const nameOf = (element) => {
    changes += observer.takeRecords().length;
    if (namesAt !== changes) { names.clear(); namesAt = changes; }
    if (!names.has(element)) names.set(element, computeName(element));
    return names.get(element);
  };
  // A label may carry marks that are no part of what the field is called.
  const bare = (name) => plain(plain(name).replace(/\s*(\((required|optional)\)|[*:]|[\u2217\u2731\ufe61\uff0a])+$/i, "")).replace(/^[*\u2217]\s+/, "");

