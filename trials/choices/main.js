import "bootstrap/dist/css/bootstrap.css";
import "choices.js/public/assets/styles/choices.css";
import "flatpickr/dist/flatpickr.css";
import { Modal } from "bootstrap";
import Choices from "choices.js";
import flatpickr from "flatpickr";
import { BOATS, DECKS, MEALS, createCabin } from "../shared/cabin.js";

// No framework: the page's own elements, and two widgets that replace them.
const $ = (selector, from = document) => from.querySelector(selector);
const field = (name, label, control) => `<p data-field="${name}"><label class="form-label" for="${name}">${label}</label>${control}<small class="text-danger"></small></p>`;
const listed = (pairs) => pairs.map(([value, label]) => `<option value="${value}">${label}</option>`).join("");
const radios = DECKS.map(([value, label]) => `<label class="me-3"><input type="radio" name="deck" value="${value}"> ${label}</label>`).join("");
$("#root").innerHTML = `
  <form novalidate class="container" style="max-width: 480px">
    ${field("guest", "Guest", '<input class="form-control" id="guest">')} ${field("email", "Email", '<input class="form-control" id="email">')}
    ${field("nights", "Nights", '<input class="form-control" id="nights" type="number">')}
    ${field("boat", "Boat", `<select id="boat"><option value="">Which boat?</option>${listed(BOATS)}</select>`)}
    ${field("meals", "Meals", `<select id="meals" multiple>${listed(MEALS)}</select>`)}
    <p><label><input type="checkbox" id="dog"> I bring a dog</label></p>
    <fieldset data-field="deck"><legend>Deck</legend>${radios}<small class="text-danger"></small></fieldset>
    ${field("from", "From", '<input class="form-control" id="from">')} ${field("voucher", "Voucher", '<input class="form-control" id="voucher">')}
    <fieldset><legend>Passengers</legend><table><tbody></tbody></table><button type="button" class="btn btn-light" id="add">Add a passenger</button></fieldset>
    <button type="button" class="btn btn-light" id="leave">Leave a note</button> <button class="btn btn-primary" id="send">Book</button>
  </form>
  <div class="modal" id="note" tabindex="-1" aria-label="A note"><div class="modal-dialog"><div class="modal-content p-3"><label>Your note <textarea class="form-control"></textarea></label>
    <button type="button" class="btn btn-primary" data-bs-dismiss="modal">Keep the note</button></div></div></div>
  <div class="toast" role="alert"></div>`;
const cabin = createCabin(() => draw()), dialog = new Modal("#note");
for (const name of ["guest", "email", "nights", "voucher"]) {
  $(`#${name}`).oninput = ({ target }) => cabin.set(name, target.value);
  $(`#${name}`).onblur = () => cabin.leave(name);
}
const choose = (name, read, settings) => {
  const select = $(`#${name}`);
  new Choices(select, { shouldSort: false, allowHTML: false, ...settings });
  select.addEventListener("change", () => cabin.set(name, read(select)));
  select.addEventListener("hideDropdown", () => cabin.leave(name));
};
choose("boat", (select) => select.value, { searchEnabled: false });
choose("meals", (select) => MEALS.map(([value]) => value).filter((value) => [...select.selectedOptions].some((option) => option.value === value)), { removeItemButton: true });
flatpickr("#from", { altInput: true, altFormat: "F j, Y", onChange: (_, text) => cabin.set("from", text), onClose: () => cabin.leave("from") });
$("#dog").onchange = ({ target }) => cabin.set("dog", target.checked);
for (const radio of document.querySelectorAll("[name=deck]")) Object.assign(radio, { onchange: () => cabin.set("deck", radio.value), onblur: () => cabin.leave("deck") });
$("#add").onclick = cabin.addRow;
$("#leave").onclick = () => dialog.show();
$("form").onsubmit = (event) => { event.preventDefault(); cabin.submit(); };

function draw() {
  const body = $("tbody"), wanted = cabin.values.passengers;
  for (const row of [...body.rows]) if (!wanted.some(({ key }) => String(key) === row.dataset.key)) row.remove();
  for (const { key } of wanted.slice(body.rows.length)) {
    const row = body.insertRow(), place = () => [...body.rows].indexOf(row);
    row.dataset.key = key;
    row.innerHTML = '<td><input class="form-control" aria-label="Name"><small class="text-danger"></small></td><td><button type="button" class="btn btn-light">Remove</button></td>';
    Object.assign($("input", row), { oninput: ({ target }) => cabin.setRow(place(), target.value), onblur: () => cabin.leaveRow(place()) });
    $("button", row).onclick = () => cabin.removeRow(place());
  }
  [...body.rows].forEach((row, i) => say(row, cabin.message(`passengers[${i}].name`)));
  for (const part of document.querySelectorAll("[data-field]")) say(part, cabin.message(part.dataset.field));
  $("#add").disabled = wanted.length === 3;
  $("#send").disabled = cabin.sending;
  $(".toast").textContent = cabin.notice;
  $(".toast").classList.toggle("show", Boolean(cabin.notice));
}
function say(part, text) {
  $("small", part).textContent = text;
  part.classList.toggle("wrong", Boolean(text));
}
