  // ---------------------------------------------------------------- dates: in the page's own format, by sections, or in a calendar
  const two = (number) => String(number).padStart(2, "0");
  const PARTS = /Y{2,4}|J{2,4}|A{4}|M{1,2}|D{1,2}|T{1,2}/gi;
  const partNames = { y: "year", j: "year", a: "year", m: "month", d: "day", t: "day" };
  const isFormat = (text) => Boolean(text) && /^[^a-z]*([ymdjta])\1*([^a-z]+([ymdjta])\3*){2}[^a-z]*$/i.test(text) && new Set([...text.toLowerCase().matchAll(/[ymdjta]+/g)].map(([each]) => partNames[each[0]])).size === 3;
  const formatOf = (place) => {
    if (place.field.format || general.format) return place.field.format || general.format;
    const element = place.elements[0], given = plain(element.getAttribute("placeholder") ?? element.getAttribute("aria-placeholder"));
    return isFormat(given) ? given : learned.get(anyRow(place.address)) ?? null;
  };
  const learned = new Map(); // address -> the format that a date was read back in
  const typedDays = new Map(); // address -> the day that a person has typed: the page may write it in another format, and so tell that
  const writeDate = (iso, format) => {
    const [year, month, day] = iso.split("-");
    return format.replace(PARTS, (part) => {
      const value = { year, month, day }[partNames[part[0].toLowerCase()]];
      return part.length === 1 ? String(+value) : part.length === 2 ? value.slice(-2) : value;
    });
  };
  const readDate = (text, format) => {
    const order = [...format.matchAll(PARTS)].map(([part]) => partNames[part[0].toLowerCase()]), numbers = text.match(/\d+/g) ?? [];
    if (order.length !== 3 || numbers.length !== 3) return null;
    const found = Object.fromEntries(order.map((name, i) => [name, numbers[i]]));
    const iso = `${found.year.length === 2 ? `20${found.year}` : found.year}-${two(+found.month)}-${two(+found.day)}`;
    return isDay(iso) ? iso : null;
  };
  const isDay = (iso) => /^\d{4}-\d{2}-\d{2}$/.test(iso) && !Number.isNaN(native.Date.parse(iso)) && new native.Date(`${iso}T00:00Z`).toISOString().startsWith(iso);
  // The formats in which a page may write a date, to see which it was.
  const COMMON = ["YYYY-MM-DD", "DD.MM.YYYY", "MM/DD/YYYY", "DD/MM/YYYY", "D.M.YYYY", "M/D/YYYY", "D/M/YYYY", "YYYY/MM/DD", "DD-MM-YYYY", "YYYY.MM.DD"];
  const monthNames = (() => {
    const languages = [document.documentElement?.lang, navigator.language, "en"].filter(Boolean), found = new Map();
    for (const language of languages) for (const month of ["long", "short"]) for (let i = 0; i < 12; i++) {
      try { const name = new Intl.DateTimeFormat(language, { month, timeZone: "UTC" }).format(new native.Date(native.Date.UTC(2024, i, 15))).toLowerCase().replace(/\.$/, ""); if (!found.has(name)) found.set(name, i + 1); } catch { /* no such language */ }
    }
    return found;
  });
  let months = null;
  const wordsOf = (text) => text.toLowerCase().split(/[^\p{L}\p{N}]+/u).filter(Boolean);
  const monthIn = (text) => {
    months ??= monthNames();
    const words = wordsOf(text), month = words.map((word) => months.get(word)).find(Boolean), year = words.find((word) => /^\d{4}$/.test(word));
    if (month && year) return { month, year: +year };
    const numbers = /\b(\d{4})\D{1,3}(\d{1,2})\b/.exec(text);
    return numbers ? { year: +numbers[1], month: +numbers[2] } : null;
  };
  // A text that is a whole date: "January 2, 2030", "2030-01-02".
  const wholeDate = (text) => {
    const iso = /\b(\d{4}-\d{2}-\d{2})\b/.exec(text ?? "");
    if (iso && isDay(iso[1])) return iso[1];
    const found = monthIn(text ?? ""), day = wordsOf(text ?? "").map((word) => /^(\d{1,2})(st|nd|rd|th)?$/.exec(word)?.[1]).find(Boolean);
    return found && day && found.month <= 12 ? `${found.year}-${two(found.month)}-${two(day)}` : null;
  };
  const segmentsOf = (place) => {
    const element = place.elements[0], box = /^(group|textbox)$/.test(roleOf(element)) || element.isContentEditable || element.localName !== "input" ? element : null;
    const inside = box ? all(box, "[role=spinbutton]") : [], beside = inside.length ? inside : place.territory || territoryFor(place) ? all(place.territory ?? territoryFor(place), "[role=spinbutton]:not(input)") : [];
    const own = roleOf(element) === "spinbutton" && element.localName !== "input" ? place.elements : [];
    const found = beside.length ? beside : own;
    return found.length >= 3 ? found : [];
  };
  const partOfSegment = (segment) => {
    const name = `${segment.getAttribute("data-type") ?? ""} ${segment.getAttribute("aria-label") ?? ""} ${nameOf(segment)}`.toLowerCase(), most = +segment.getAttribute("aria-valuemax");
    return /year/.test(name) ? "year" : /month/.test(name) ? "month" : /\bday/.test(name) ? "day" : most === 31 || (most > 12 && most < 31) ? "day" : most === 12 ? "month" : "year";
  };
  const dateOf = (place) => {
    const element = place.elements[0];
    if (/^(date|datetime-local)$/.test(element.type)) return element.value;
    const segments = segmentsOf(place);
    if (segments.length) {
      const found = Object.fromEntries(segments.map((segment) => [partOfSegment(segment), segment.getAttribute("aria-valuenow") ?? (/^\d+$/.test(plain(segment.textContent)) ? plain(segment.textContent) : null)]));
      if (found.year && found.month && found.day) return `${String(found.year).padStart(4, "0")}-${two(+found.month)}-${two(+found.day)}`;
      return "";
    }
    const original = place.carriers.find((each) => isDay(each.value));
    if (original) return original.value;
    const text = element.value !== undefined ? String(element.value) : shownText(element);
    if (isNothing(place, plain(text))) return "";
    const format = formatOf(place);
    const typed = typedDays.get(place.address);
    return (format && readDate(text, format)) ?? wholeDate(text) ?? (typed && learnFrom(place, typed) ? typed : text);
  };
  const enterDate = async (place, step) => {
    const element = place.elements[0], { value } = step;
    if (value && !isDay(value)) return typeDate(place, value);
    if (dateOf(place) === value) return undefined;
    if (segmentsOf(place).length) throw new Refused("needs real keys");
    // Without a known format, a calendar cannot be misunderstood; how the page writes the date is learned from it.
    if (value && !formatOf(place) && element.localName === "input" && (await opensCalendar(place))) {
      await byCalendar(placeOf(step.address), value);
      const now = placeOf(step.address);
      if (dateOf(now) === value || learnFrom(now, value)) return undefined;
    }
    if (element.localName === "input" && !element.readOnly) {
      // A day that could be a month, too, would be taken for one without a word: the page's format is learned with another day.
      if (value && !formatOf(place) && +value.slice(8) <= 12 && value.slice(8) !== value.slice(5, 7)) await enterDate(place, { ...step, value: `${value.slice(0, 8)}28` }).catch(() => undefined);
      for (const format of value ? [formatOf(place) ?? "YYYY-MM-DD", ...(formatOf(place) ? [] : COMMON.slice(1))] : ["YYYY-MM-DD"]) {
        await typeDate(place, value ? writeDate(value, format) : "");
        const now = placeOf(step.address), text = String(now?.elements[0].value ?? "");
        if (!value ? text === "" : readBack(now, value, format, text)) return undefined;
      }
    }
    if (!value) throw new Refused("cannot be set");
    await byCalendar(placeOf(step.address), value);
    const read = dateOf(placeOf(step.address));
    if (read !== value && !learnFrom(placeOf(step.address), value)) throw new Refused("date not entered", { value, read });
    return undefined;
  };
  const opensCalendar = async (place) => {
    if (openedCalendar()) return true;
    click(place.field.opener ? opener(place) : place.elements[0]);
    await rest();
    return openedCalendar() !== null;
  };
  // Whether *text* is the date that was entered; a page that writes it in another way is understood from then on.
  const readBack = (place, value, format, text) => {
    if (readDate(text, format) !== value) return false;
    if (!formatOf(place) && format !== "YYYY-MM-DD") learned.set(anyRow(place.address), format);
    return true;
  };
  const learnFrom = (place, value) => {
    const text = String(place.elements[0].value ?? shownText(place.elements[0]));
    const format = COMMON.find((each) => readDate(text, each) === value);
    if (format) learned.set(anyRow(place.address), format);
    return Boolean(format);
  };
  const typeDate = async (place, text) => {
    const element = place.elements[0];
    if (activeElement() !== element) element.focus();
    selectAll(element);
    if (text === "") await eraseKeys(element, element.value === "" ? 0 : 1); else await typeKeys(element, text);
    await rest();
    keyAt(element, "Enter");
    await rest();
    if (!element.isConnected) return;
    element.dispatchEvent(new Event("change", { bubbles: true }));
    await rest();
    if (openedCalendar()) { keyAt(element, "Escape"); await rest(); }
  };

  // A calendar is what shows the days of a month, each once.
  const DAYS = "[role=gridcell],td,button,[aria-label],[role=option],span,div";
  const dayOf = (cell) => { const text = plain(cell.textContent); return /^\d{1,2}$/.test(text) && +text >= 1 && +text <= 31 ? +text : 0; };
  const cellsOf = (calendar) => {
    const found = all(calendar, DAYS).filter((cell) => dayOf(cell) && isShown(cell) && !closest(cell, "select,input"));
    return found.filter((cell) => !found.some((other) => other !== cell && holds(cell, other)));
  };
  const monthOf = (cells) => {
    const from = cells.findIndex((cell) => dayOf(cell) === 1);
    if (from < 0) return [];
    let to = from + 1;
    while (to < cells.length && dayOf(cells[to]) === dayOf(cells[to - 1]) + 1) to++;
    return to - from >= 28 ? cells.slice(from, to) : [];
  };
  const openedCalendar = () => {
    const found = all(document, "[role=dialog],dialog,[role=grid],table,[role=application],[class*=calendar],[class*=picker],[popover]").filter((each) => isShown(each) && monthOf(cellsOf(each)).length);
    const inner = found.filter((each) => !found.some((other) => other !== each && holds(each, other)));
    // Its buttons may stand around the grid.
    return inner.length ? found.filter((each) => holds(each, inner[0])).sort((a, b) => pathTo(b).length - pathTo(a).length) : null;
  };
  const shownMonth = (around, cells) => {
    const middle = cells[14], labelled = [middle, above(middle)].flatMap((each) => ["aria-label", "title", "data-date", "data-day"].map((name) => wholeDate(each?.getAttribute(name) ?? ""))).find(Boolean);
    if (labelled) return { year: +labelled.slice(0, 4), month: +labelled.slice(5, 7) };
    for (const box of around) {
      for (const each of [box, ...all(box, "caption,[role=heading],h1,h2,h3,h4,header,[class*=header],[class*=title],[class*=label],[aria-live]")]) {
        const text = each === box ? box.getAttribute("aria-label") ?? "" : plain(textOf(each));
        if (text.length < 60 && monthIn(text)) return monthIn(text);
      }
    }
    for (const box of around) { const found = monthIn(plain(textOf(box)).slice(0, 80)); if (found) return found; }
    return null;
  };
  const turner = (around, forward, year) => {
    const says = forward ? /next|forward|n\u00e4chst|right/i : /prev|back|vorig|left/i;
    for (const box of around) {
      const found = all(box, "button,[role=button],a,span[class],div[class]").filter((each) => isShown(each) && dayOf(each) === 0 && each.childElementCount < 4 && says.test(`${each.getAttribute("aria-label") ?? ""} ${each.getAttribute("class") ?? ""} ${each.getAttribute("title") ?? ""} ${plain(each.textContent).slice(0, 30)}`) && cellsOf(each).length === 0);
      const buttons = found.filter((each) => each.matches("button,[role=button]")), some = buttons.length ? buttons : found;
      const ofYear = (each) => /year|super|jahr|double|d-/i.test(`${each.getAttribute("aria-label") ?? ""} ${each.getAttribute("class") ?? ""}`);
      const wanted = some.find((each) => ofYear(each) === year);
      if (wanted) return wanted;
    }
    return null;
  };
  const byCalendar = async (place, value) => {
    const control = place.elements[0], box = place.territory ?? territoryFor(place) ?? control;
    // Buttons that are dates themselves.
    const shown = all(box, "button,[role=button],[role=gridcell],[role=option]").find((each) => isShown(each) && wholeDate(nameOf(each)) === value);
    if (shown) { click(shown); await rest(); return; }
    const named = all(box, "button,[role=button]").filter((each) => isSeen(each) && (opens(each) || /calendar|date|kalender|datum|pick/i.test(nameOf(each) + (each.getAttribute("class") ?? ""))));
    for (const way of [() => {}, () => click(place.field.opener ? opener(place) : control), ...named.map((each) => () => click(each)), () => keyAt(control, "ArrowDown"), () => keyAt(control, "Enter")]) {
      way();
      await rest();
      if (openedCalendar()) break;
    }
    if (!openedCalendar()) throw new Refused("not opened", { value });
    const [year, month, day] = value.split("-").map(Number);
    for (let turns = 0; turns < 300; turns++) {
      const around = openedCalendar();
      if (!around) throw new Refused("not opened", { value });
      const cells = monthOf(cellsOf(around[0])), is = shownMonth(around, cells);
      if (!is) throw new Refused("not opened", { value });
      const far = (year - is.year) * 12 + month - is.month;
      if (far === 0) {
        const cell = cells[day - 1];
        const target = closest(cell, "button,[role=gridcell],td,[role=option]") ?? cell;
        if (isOff(cell) || isOff(target) || /disabled/.test(`${cell.className} ${target.className}`)) throw new Refused("disabled option", { value });
        hover(cell);
        click(cell);
        await rest();
        const left = openedCalendar();
        if (left) { keyAt(activeElement() ?? control, "Escape"); await rest(); }
        return;
      }
      const button = (Math.abs(far) >= 12 ? turner(around, far > 0, true) : null) ?? turner(around, far > 0, false);
      if (!button) throw new Refused("not opened", { value });
      click(button);
      await rest();
    }
    throw new Refused("date not entered", { value, read: dateOf(place) });
  };
  // For real keys: the digits of a date in the order of its sections.
  const sections = ({ address, value }) => {
    const place = placeOf(address), segments = place ? segmentsOf(place) : [];
    if (!segments.length) return null;
    const [year, month, day] = value.split("-");
    segments[0].focus();
    return { keys: segments.map((segment) => ({ year, month, day })[partOfSegment(segment)] ?? ""), count: segments.length };
  };

