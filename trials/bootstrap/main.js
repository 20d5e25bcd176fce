import "bootstrap/dist/css/bootstrap.css";
import "flatpickr/dist/flatpickr.css";
import "select2/dist/css/select2.css";
import "tom-select/dist/css/tom-select.css";
import "choices.js/public/assets/styles/choices.css";
import { Modal } from "bootstrap";
import Choices from "choices.js";
import flatpickr from "flatpickr";
import jQuery from "jquery";
import select2 from "select2/dist/js/select2.full.js";
import TomSelect from "tom-select";
import { BOATS, DECKS, MEALS, createCabin } from "../shared/cabin.js";

const $ = jQuery, options = (pairs) => pairs.map(([value, label]) => `<option value="${value}">${label}</option>`).join("");
if (typeof select2 === "function" && !$.fn.select2) select2(window, $);
const line = (name, label, control) => `<div class="mb-3"><label class="form-label" for="${name}">${label}</label>${control}<div class="invalid-feedback" data-for="${name}"></div></div>`;
$("#root").html(`
  <form novalidate class="container" style="max-width: 480px">
    ${line("guest", "Guest", '<input class="form-control" id="guest">')}
    ${line("email", "Email", '<input class="form-control" id="email">')}
    ${line("nights", "Nights", '<input class="form-control" id="nights" type="number">')}
    ${line("boat", "Boat", `<select id="boat" style="width: 100%"><option value=""></option>${options(BOATS)}</select>`)}
    ${line("meals", "Meals", `<select id="meals" multiple>${options(MEALS)}</select>`)}
    <div class="form-check"><input class="form-check-input" type="checkbox" id="dog"><label class="form-check-label" for="dog">I bring a dog</label></div>
    <fieldset class="mb-3"><legend>Deck</legend>${DECKS.map(([value, label]) => `<div class="form-check"><input class="form-check-input" type="radio" name="deck" id="deck-${value}" value="${value}"><label for="deck-${value}">${label}</label></div>`).join("")}
      <div class="invalid-feedback" data-for="deck"></div></fieldset>
    ${line("from", "From", '<input class="form-control" id="from">')}
    ${line("voucher", "Voucher", '<input class="form-control" id="voucher">')}
    <fieldset><legend>Passengers</legend><ul class="list-unstyled" id="rows"></ul><button type="button" class="btn btn-light" id="add">Add a passenger</button></fieldset>
    <button type="button" class="btn btn-light" data-bs-toggle="modal" data-bs-target="#note">Leave a note</button>
    <button class="btn btn-primary" id="send">Book</button>
    <div class="alert alert-success" role="alert" hidden></div>
  </form>
  <div class="modal fade" id="note" tabindex="-1" aria-labelledby="note-title"><div class="modal-dialog"><div class="modal-content">
    <div class="modal-header"><h2 class="modal-title" id="note-title">A note</h2></div>
    <div class="modal-body"><label>Your note <textarea class="form-control"></textarea></label></div>
    <div class="modal-footer"><button type="button" class="btn btn-primary" data-bs-dismiss="modal">Keep the note</button></div></div></div></div>`);

const cabin = createCabin(draw);
for (const name of ["guest", "email", "nights", "voucher"]) $(`#${name}`).on("input", (event) => cabin.set(name, event.target.value)).on("blur", () => cabin.leave(name));
$("#boat").select2({ placeholder: "Which boat?", minimumResultsForSearch: Infinity }).on("change", (event) => cabin.set("boat", event.target.value)).on("select2:close", () => cabin.leave("boat"));
new TomSelect("#meals", { plugins: ["remove_button"], onChange: (chosen) => cabin.set("meals", MEALS.map(([value]) => value).filter((value) => chosen.includes(value))), onBlur: () => cabin.leave("meals") });
$("#dog").on("change", (event) => cabin.set("dog", event.target.checked));
$("[name=deck]").on("change", (event) => cabin.set("deck", event.target.value)).on("blur", () => cabin.leave("deck"));
flatpickr("#from", { onChange: (_, text) => cabin.set("from", text), onClose: () => cabin.leave("from") });
$("#from").on("blur", () => cabin.leave("from"));
$("#add").on("click", cabin.addRow);
$("#rows").on("input", "input", (event) => cabin.setRow($(event.target).closest("li").index(), event.target.value));
$("#rows").on("blur", "input", (event) => cabin.leaveRow($(event.target).closest("li").index()));
$("#rows").on("click", "button", (event) => cabin.removeRow($(event.target).closest("li").index()));
$("form").on("submit", (event) => { event.preventDefault(); cabin.submit(); });

function draw() {
  const rows = $("#rows"), wanted = cabin.values.passengers;
  rows.children().filter((_, each) => !wanted.some((row) => String(row.key) === each.dataset.key)).remove();
  for (const row of wanted.slice(rows.children().length)) rows.append(`<li class="mb-2" data-key="${row.key}"><label>Name <input class="form-control"></label><div class="invalid-feedback"></div><button type="button" class="btn btn-light">Remove</button></li>`);
  rows.children().each((i, each) => show($("input", each), $(".invalid-feedback", each), cabin.message(`passengers[${i}].name`)));
  for (const each of document.querySelectorAll("[data-for]")) show($(each.dataset.for === "deck" ? "[name=deck]" : `#${each.dataset.for}`), $(each), cabin.message(each.dataset.for));
  $("#add").prop("disabled", wanted.length === 3);
  $("#send").prop("disabled", cabin.sending);
  $(".alert").prop("hidden", !cabin.notice).text(cabin.notice);
}
function show(control, place, text) {
  control.toggleClass("is-invalid", Boolean(text));
  place.text(text).css("display", text ? "block" : "none");
}
