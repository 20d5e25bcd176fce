import "@material/web/button/filled-button.js";
import "@material/web/button/outlined-button.js";
import "@material/web/checkbox/checkbox.js";
import "@material/web/dialog/dialog.js";
import "@material/web/radio/radio.js";
import "@material/web/select/outlined-select.js";
import "@material/web/select/select-option.js";
import "@material/web/textfield/outlined-text-field.js";
import { html, nothing, render } from "lit";
import { BOATS, DECKS, MEALS, createCabin } from "../shared/cabin.js";

const root = document.getElementById("root"), cabin = createCabin(draw);
const field = (name, label, type = "text") => html`<p><md-outlined-text-field label=${label} type=${type} .value=${String(cabin.values[name])} ?error=${Boolean(cabin.message(name))} error-text=${cabin.message(name)}
  @input=${(event) => cabin.set(name, event.target.value)} @blur=${() => cabin.leave(name)}></md-outlined-text-field></p>`;

function draw() {
  const { values } = cabin;
  render(html`
    <form novalidate style="max-width: 480px; margin: 16px" @submit=${(event) => { event.preventDefault(); cabin.submit(); }}>
      ${field("guest", "Guest")} ${field("email", "Email")} ${field("nights", "Nights", "number")}
      <p><md-outlined-select label="Boat" .value=${values.boat} ?error=${Boolean(cabin.message("boat"))} error-text=${cabin.message("boat")} @change=${(event) => cabin.set("boat", event.target.value)} @blur=${() => cabin.leave("boat")}>
        ${BOATS.map(([value, label]) => html`<md-select-option value=${value}><div slot="headline">${label}</div></md-select-option>`)}</md-outlined-select></p>
      <fieldset><legend>Meals</legend>
        ${MEALS.map(([value, label]) => html`<label><md-checkbox value=${value} ?checked=${values.meals.includes(value)} @change=${(event) => cabin.set("meals", MEALS.map(([each]) => each).filter((each) => (each === value ? event.target.checked : values.meals.includes(each))))}></md-checkbox> ${label}</label>`)}
        <span class="message">${cabin.message("meals")}</span></fieldset>
      <p><label><md-checkbox ?checked=${values.dog} @change=${(event) => cabin.set("dog", event.target.checked)}></md-checkbox> I bring a dog</label></p>
      <fieldset @focusout=${() => cabin.leave("deck")}><legend>Deck</legend>
        ${DECKS.map(([value, label]) => html`<label><md-radio name="deck" value=${value} ?checked=${values.deck === value} @change=${() => cabin.set("deck", value)}></md-radio> ${label}</label>`)}
        <span class="message">${cabin.message("deck")}</span></fieldset>
      ${field("from", "From", "date")} ${field("voucher", "Voucher")}
      <fieldset><legend>Passengers</legend>
        ${values.passengers.map((row, i) => html`<div role="group" aria-label=${`Passenger ${i + 1}`}>
          <md-outlined-text-field label="Name" .value=${row.name} ?error=${Boolean(cabin.message(`passengers[${i}].name`))} error-text=${cabin.message(`passengers[${i}].name`)}
            @input=${(event) => cabin.setRow(i, event.target.value)} @blur=${() => cabin.leaveRow(i)}></md-outlined-text-field>
          <md-outlined-button type="button" @click=${() => cabin.removeRow(i)}>Remove</md-outlined-button></div>`)}
        <md-outlined-button type="button" ?disabled=${values.passengers.length === 3} @click=${cabin.addRow}>Add a passenger</md-outlined-button></fieldset>
      <md-outlined-button type="button" @click=${cabin.openNote}>Leave a note</md-outlined-button>
      <md-filled-button type="submit" ?disabled=${cabin.sending}>Book</md-filled-button>
    </form>
    <md-dialog aria-label="A note" ?open=${cabin.open} @closed=${() => cabin.closeNote()}>
      <div slot="headline">A note</div>
      <form slot="content" id="note-form" method="dialog"><md-outlined-text-field label="Your note" type="textarea"></md-outlined-text-field></form>
      <div slot="actions"><md-outlined-button form="note-form">Keep the note</md-outlined-button></div></md-dialog>
    ${cabin.notice ? html`<p role="status">${cabin.notice}</p>` : nothing}`, root);
}
draw();
