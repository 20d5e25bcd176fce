import { render } from "preact";
import { useReducer, useRef } from "preact/hooks";
import { BOATS, DECKS, MEALS, createCabin } from "../shared/cabin.js";

// Native controls only; a message follows its control, and nothing joins the two but their place.
function Cabin() {
  const [, draw] = useReducer((count) => count + 1, 0);
  const held = useRef(null), dialog = useRef(null);
  held.current ??= createCabin(draw);
  const form = held.current, { values } = form;
  const on = (name, read = (control) => control.value) => ({ onInput: (event) => form.set(name, read(event.currentTarget)), onBlur: () => form.leave(name), class: form.message(name) ? "bad" : "" });
  const message = (name) => <span class="error">{form.message(name)}</span>;
  const row = (name, label, control) => <p><label for={name}>{label}</label> {control} {message(name)}</p>;
  return (
    <form noValidate onSubmit={(event) => { event.preventDefault(); form.submit(); }}>
      {row("guest", "Guest", <input id="guest" value={values.guest} {...on("guest")} />)}
      {row("email", "Email", <input id="email" value={values.email} {...on("email")} />)}
      {row("nights", "Nights", <input id="nights" type="number" value={values.nights} {...on("nights")} />)}
      {row("boat", "Boat", <select id="boat" value={values.boat} {...on("boat")}><option value="">Choose…</option>{BOATS.map(([value, label]) => <option key={value} value={value}>{label}</option>)}</select>)}
      {row("meals", "Meals", <select id="meals" multiple {...on("meals", (control) => [...control.selectedOptions].map((each) => each.value))}>{MEALS.map(([value, label]) => <option key={value} value={value} selected={values.meals.includes(value)}>{label}</option>)}</select>)}
      <p><label><input type="checkbox" checked={values.dog} onChange={(event) => form.set("dog", event.currentTarget.checked)} /> I bring a dog</label></p>
      <fieldset class={form.message("deck") ? "bad" : ""}>
        <legend>Deck</legend>
        {DECKS.map(([value, label]) => <label key={value}><input type="radio" name="deck" value={value} checked={values.deck === value} onChange={() => form.set("deck", value)} onBlur={() => form.leave("deck")} /> {label}</label>)}
        {message("deck")}
      </fieldset>
      {row("from", "From", <input id="from" type="date" value={values.from} {...on("from")} />)}
      {row("voucher", "Voucher", <input id="voucher" value={values.voucher} {...on("voucher")} />)}
      <fieldset>
        <legend>Passengers</legend>
        {values.passengers.map((each, i) => (
          <div key={each.key} class="row">
            <label>Name <input value={each.name} class={form.message(`passengers[${i}].name`) ? "bad" : ""} onInput={(event) => form.setRow(i, event.currentTarget.value)} onBlur={() => form.leaveRow(i)} /></label>
            {message(`passengers[${i}].name`)}
            <button type="button" onClick={() => form.removeRow(i)}>Remove</button>
          </div>
        ))}
        <button type="button" disabled={values.passengers.length === 3} onClick={form.addRow}>Add a passenger</button>
      </fieldset>
      <button type="button" onClick={() => dialog.current.showModal()}>Leave a note</button>
      <button disabled={form.sending}>Book</button>
      <dialog ref={dialog} aria-label="A note">
        <label>Your note <textarea onInput={(event) => { form.note = event.currentTarget.value; }} /></label>
        <button type="button" onClick={() => dialog.current.close()}>Keep the note</button>
      </dialog>
      <p class="notice">{form.notice}</p>
    </form>
  );
}
render(<Cabin />, document.getElementById("root"));
