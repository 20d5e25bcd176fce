import "@shoelace-style/shoelace/dist/themes/light.css";
import "@shoelace-style/shoelace/dist/shoelace.js";
import { LitElement, html, nothing } from "lit";
import { BOATS, DECKS, MEALS, createCabin } from "../shared/cabin.js";

// The form is drawn in the document, so that its styles and labels are the page's.
class CabinForm extends LitElement {
  constructor() {
    super();
    this.cabin = createCabin(() => this.requestUpdate());
  }
  createRenderRoot() { return this; }
  help(name) { return html`<div slot="help-text" class="message">${this.cabin.message(name)}</div>`; }
  text(name, label, type = "text") {
    const { cabin } = this;
    return html`<sl-input class=${cabin.message(name) ? "wrong" : ""} label=${label} type=${type} .value=${String(cabin.values[name])} @sl-input=${(event) => cabin.set(name, event.target.value)} @sl-blur=${() => cabin.leave(name)}>${this.help(name)}</sl-input>`;
  }
  render() {
    const { cabin } = this, { values } = cabin;
    return html`
      <form novalidate style="max-width: 480px; margin: 16px" @submit=${(event) => { event.preventDefault(); cabin.submit(); }}>
        ${this.text("guest", "Guest")} ${this.text("email", "Email")} ${this.text("nights", "Nights", "number")}
        <sl-select label="Boat" .value=${values.boat} @sl-change=${(event) => cabin.set("boat", event.target.value)} @sl-blur=${() => cabin.leave("boat")}>
          ${BOATS.map(([value, label]) => html`<sl-option value=${value}>${label}</sl-option>`)} ${this.help("boat")}</sl-select>
        <sl-select label="Meals" multiple @sl-change=${(event) => cabin.set("meals", MEALS.map(([value]) => value).filter((value) => event.target.value.includes(value)))} @sl-blur=${() => cabin.leave("meals")}>
          ${MEALS.map(([value, label]) => html`<sl-option value=${value}>${label}</sl-option>`)} ${this.help("meals")}</sl-select>
        <sl-checkbox .checked=${values.dog} @sl-change=${(event) => cabin.set("dog", event.target.checked)}>I bring a dog</sl-checkbox>
        <sl-radio-group label="Deck" .value=${values.deck} @sl-change=${(event) => cabin.set("deck", event.target.value)} @focusout=${() => cabin.leave("deck")}>
          ${DECKS.map(([value, label]) => html`<sl-radio value=${value}>${label}</sl-radio>`)} ${this.help("deck")}</sl-radio-group>
        ${this.text("from", "From", "date")} ${this.text("voucher", "Voucher")}
        <fieldset><legend>Passengers</legend>
          ${values.passengers.map((row, i) => html`<div role="group" aria-label=${`Passenger ${i + 1}`}>
            <sl-input label="Name" .value=${row.name} @sl-input=${(event) => cabin.setRow(i, event.target.value)} @sl-blur=${() => cabin.leaveRow(i)}>${this.help(`passengers[${i}].name`)}</sl-input>
            <sl-button @click=${() => cabin.removeRow(i)}>Remove</sl-button></div>`)}
          <sl-button ?disabled=${values.passengers.length === 3} @click=${cabin.addRow}>Add a passenger</sl-button></fieldset>
        <sl-button @click=${cabin.openNote}>Leave a note</sl-button>
        <sl-button type="submit" ?disabled=${cabin.sending}>Book</sl-button>
      </form>
      <sl-dialog label="A note" ?open=${cabin.open} @sl-after-hide=${(event) => { if (event.target.localName === "sl-dialog") cabin.closeNote(); }}>
        <sl-textarea label="Your note"></sl-textarea>
        <sl-button slot="footer" @click=${() => cabin.keepNote(this.querySelector("sl-textarea").value)}>Keep the note</sl-button></sl-dialog>
      ${cabin.notice ? html`<sl-alert open>${cabin.notice}</sl-alert>` : nothing}`;
  }
}
customElements.define("cabin-form", CabinForm);
document.getElementById("root").append(new CabinForm());
