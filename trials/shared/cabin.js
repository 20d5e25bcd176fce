// What every trial shares: the values of the form, its checks, its lookup and its submission. Written by hand; each stack only draws it.
export const BOATS = [["gannet", "The Gannet"], ["tern", "The Tern"], ["eider", "The Eider"]];
export const MEALS = [["breakfast", "Breakfast"], ["lunch", "Lunch"], ["dinner", "Dinner"]];
export const DECKS = [["upper", "Upper deck"], ["lower", "Lower deck"]];
const FIELDS = ["guest", "email", "nights", "boat", "meals", "deck", "from", "voucher"];

function checked(values) {
  const found = {};
  const say = (address, text) => { if (!found[address]) found[address] = text; };
  if (!values.guest) say("guest", "Who is coming?");
  if (!values.email) say("email", "Where do we write to?");
  else if (!/^[^@\s]+@[^@\s]+$/.test(values.email)) say("email", "That is not an address.");
  if (values.nights === "" || values.nights === null) say("nights", "How many nights?");
  else if (!(values.nights >= 1 && values.nights <= 14)) say("nights", "One to fourteen nights.");
  if (!values.boat) say("boat", "Choose a boat.");
  if (values.meals.length > 2) say("meals", "Two meals at most.");
  if (!values.deck) say("deck", "Choose a deck.");
  if (!values.from) say("from", "When do you come?");
  values.passengers.forEach((row, i) => { if (!row.name) say(`passengers[${i}].name`, `Passenger ${i + 1} needs a name.`); });
  return found;
}

// A form that tells *changed* when it has to be drawn again.
export function createCabin(changed) {
  let number = 0;
  const form = {
    values: { guest: "", email: "", nights: "", boat: "", meals: [], dog: false, deck: "", from: "", voucher: "", passengers: [] },
    note: "", open: false, touched: new Set(), refused: {}, voucher: { state: "unasked", asked: 0 }, sending: false, notice: "",
  };
  const tell = () => changed?.();
  let timer = 0;
  const lookUp = (code) => {
    clearTimeout(timer);
    const asked = ++form.voucher.asked;
    form.voucher.state = code ? "pending" : "unasked";
    if (!code) return;
    timer = setTimeout(async () => {
      const answer = await fetch(`/api/vouchers?code=${encodeURIComponent(code)}`).then((response) => response.json(), () => ({ accepted: true }));
      if (asked !== form.voucher.asked) return;
      form.voucher.state = answer.accepted ? "good" : "bad";
      tell();
    }, 300);
  };
  form.set = (name, value) => {
    form.values[name] = value;
    delete form.refused[name];
    form.notice = "";
    if (name === "voucher") lookUp(value);
    tell();
  };
  form.leave = (name) => { form.touched.add(name); tell(); };
  form.setRow = (i, name) => { form.values.passengers[i].name = name; delete form.refused[`passengers[${i}].name`]; tell(); };
  form.leaveRow = (i) => { const row = form.values.passengers[i]; if (row) form.touched.add(`row ${row.key}`); tell(); };
  form.addRow = () => { form.values.passengers.push({ key: ++number, name: "" }); tell(); };
  form.removeRow = (i) => { form.values.passengers.splice(i, 1); tell(); };
  form.openNote = () => { form.open = true; tell(); };
  form.keepNote = (text) => { form.note = text; form.open = false; tell(); };
  form.closeNote = () => { form.open = false; tell(); };
  // The message that is shown at an address; "" if there is none.
  form.message = (address) => {
    if (form.refused[address]) return form.refused[address];
    const row = /^passengers\[(\d+)\]/.exec(address);
    const key = row ? `row ${form.values.passengers[row[1]]?.key}` : address;
    if (!form.touched.has(key)) return "";
    if (address === "voucher") return form.voucher.state === "bad" ? "That voucher is used up." : "";
    return checked(form.values)[address] ?? "";
  };
  form.submit = async () => {
    if (form.sending) return;
    for (const name of FIELDS) form.touched.add(name);
    for (const row of form.values.passengers) form.touched.add(`row ${row.key}`);
    form.notice = "";
    if (Object.keys(checked(form.values)).length || form.voucher.state === "bad" || form.voucher.state === "pending") { tell(); return; }
    form.sending = true;
    tell();
    const { passengers, nights, from, ...rest } = form.values;
    const body = JSON.stringify({ ...rest, nights: Number(nights), from, passengers: passengers.map(({ name }) => ({ name })) });
    try {
      const response = await fetch("/api/cabins", { method: "POST", headers: { "Content-Type": "application/json" }, body });
      if (response.ok) form.notice = "Your cabin is booked.";
      else for (const { pointer, detail } of (await response.json()).errors ?? []) form.refused[pointer.slice(2).replace(/\/(\d+)/g, "[$1]").replaceAll("/", ".")] = detail;
    } catch { form.notice = "The line is down."; }
    form.sending = false;
    tell();
  };
  return form;
}
