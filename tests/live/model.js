// What the three pages have in common: what is entered, what is wrong with it, and what becomes of it. Drawing is theirs.
export const TEXTS = { boat: "Name of the boat", kind: "Kind of boat", berth: "Berth", power: "Shore power", nights: "Nights", services: "Services", remarks: "Remarks" };

export class Model {
  constructor(draw) {
    Object.assign(this, { draw, boat: "", kind: "", berth: "", power: false, nights: "", services: [], remarks: "", crew: [{ id: 0, name: "" }] });
    Object.assign(this, { left: new Set(), submitted: false, server: {}, answers: {}, asking: 0, busy: false, notice: "", done: false, next: 1 });
  }

  wrong() {
    const found = {};
    const say = (address, broken, text) => { if (broken) found[address] ??= text; };
    say("boat", !this.boat, "What is she called?");
    say("boat", this.boat.length < 3, "At least 3 letters.");
    say("boat", this.answers[this.boat]?.accepted === false, this.answers[this.boat]?.message ?? `We do not know the ${this.boat}.`);
    say("kind", !this.kind, "Which kind?");
    say("berth", !this.berth, "Inner or outer?");
    say("nights", this.nights === "", "How long?");
    say("nights", !(this.nights >= 1 && this.nights <= 14), "From 1 to 14 nights.");
    say("services", this.services.length > 2, "Two services at most.");
    this.crew.forEach((row, i) => say(`crew/${row.id}`, !row.name, `Who is number ${i + 1}?`));
    return found;
  }

  // The message on show at *address*.
  shown(address) {
    return this.server[address] ?? (this.submitted || this.left.has(address) ? this.wrong()[address] : undefined) ?? "";
  }

  set(address, value) {
    const [name, id] = address.split("/");
    if (id === undefined) this[name] = value;
    else this.crew.find((row) => row.id === +id).name = value;
    delete this.server[address];
    this.draw();
  }

  async leave(address) {
    this.left.add(address);
    this.draw();
    const boat = this.boat;
    if (address !== "boat" || boat.length < 3 || this.answers[boat]) return;
    this.asking++;
    this.draw();
    const answer = await fetch(`/api/boats?name=${encodeURIComponent(boat)}`);
    this.answers[boat] = await answer.json();
    this.asking--;
    this.draw();
  }

  add() { this.crew.push({ id: this.next++, name: "" }); this.draw(); }
  remove(id) { this.crew = this.crew.filter((row) => row.id !== id); this.draw(); }

  // The address of the first field that is wrong, where the form was not sent.
  submit() {
    if (this.busy) return undefined;
    this.submitted = true;
    this.draw();
    const [first] = Object.keys(this.wrong());
    if (!first) this.send();
    return first;
  }

  async send() {
    const { boat, kind, berth, power, services } = this;
    const body = { boat, kind, berth, power, nights: +this.nights, services, ...(power ? { remarks: this.remarks } : {}), crew: this.crew.map(({ name }) => ({ name })) };
    this.busy = true;
    this.server = {};
    this.draw();
    const answer = await fetch("/moorings", { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(body) });
    this.busy = false;
    if (answer.ok) Object.assign(this, { done: true, notice: "See you soon." });
    else for (const { pointer, detail } of (await answer.json()).errors) this.server[pointer.slice(2)] = detail;
    this.draw();
  }
}
