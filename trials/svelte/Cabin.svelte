<script>
  import { BOATS, DECKS, MEALS, createCabin } from "../shared/cabin.js";

  let drawn = $state(0), dialog = $state();
  const cabin = createCabin(() => { drawn += 1; });
  const form = $derived((drawn, { ...cabin }));
  const values = $derived((drawn, { ...cabin.values, passengers: [...cabin.values.passengers] }));
  const message = (address) => (drawn, cabin.message(address));
</script>

{#snippet error(address)}
  {#if message(address)}<small id="{address}-error" class="error">{message(address)}</small>{/if}
{/snippet}

<form novalidate onsubmit={(event) => { event.preventDefault(); cabin.submit(); }}>
  {#each [["guest", "Guest", "text"], ["email", "Email", "text"], ["nights", "Nights", "number"]] as [name, label, type]}
    <div class="field"><label for={name}>{label}</label>
      <input id={name} {type} value={values[name]} aria-invalid={message(name) ? "true" : undefined} aria-describedby="{name}-error" oninput={(event) => cabin.set(name, event.currentTarget.value)} onblur={() => cabin.leave(name)}>
      {@render error(name)}</div>
  {/each}
  <div class="field"><label for="boat">Boat</label>
    <select id="boat" value={values.boat} aria-invalid={message("boat") ? "true" : undefined} aria-describedby="boat-error" onchange={(event) => cabin.set("boat", event.currentTarget.value)} onblur={() => cabin.leave("boat")}>
      <option value="">Choose…</option>{#each BOATS as [value, label]}<option {value}>{label}</option>{/each}
    </select>{@render error("boat")}</div>
  <div class="field"><label for="meals">Meals</label>
    <select id="meals" multiple onchange={(event) => cabin.set("meals", [...event.currentTarget.selectedOptions].map((each) => each.value))} onblur={() => cabin.leave("meals")}>
      {#each MEALS as [value, label]}<option {value} selected={values.meals.includes(value)}>{label}</option>{/each}
    </select>{@render error("meals")}</div>
  <label><input type="checkbox" checked={values.dog} onchange={(event) => cabin.set("dog", event.currentTarget.checked)}> I bring a dog</label>
  <fieldset aria-invalid={message("deck") ? "true" : undefined} aria-describedby="deck-error"><legend>Deck</legend>
    {#each DECKS as [value, label]}<label><input type="radio" name="deck" {value} checked={values.deck === value} onchange={() => cabin.set("deck", value)} onblur={() => cabin.leave("deck")}> {label}</label>{/each}
    {@render error("deck")}</fieldset>
  <div class="field"><label for="from">From</label>
    <input id="from" type="date" value={values.from} aria-invalid={message("from") ? "true" : undefined} aria-describedby="from-error" oninput={(event) => cabin.set("from", event.currentTarget.value)} onblur={() => cabin.leave("from")}>{@render error("from")}</div>
  <div class="field"><label for="voucher">Voucher</label>
    <input id="voucher" value={values.voucher} aria-invalid={message("voucher") ? "true" : undefined} aria-describedby="voucher-error" oninput={(event) => cabin.set("voucher", event.currentTarget.value)} onblur={() => cabin.leave("voucher")}>{@render error("voucher")}</div>
  <fieldset><legend>Passengers</legend>
    <ul>{#each values.passengers as row, i (row.key)}
      <li><label>Name <input value={row.name} aria-invalid={message(`passengers[${i}].name`) ? "true" : undefined} aria-describedby="row-{row.key}-error" oninput={(event) => cabin.setRow(i, event.currentTarget.value)} onblur={() => cabin.leaveRow(i)}></label>
        <small id="row-{row.key}-error">{message(`passengers[${i}].name`)}</small>
        <button type="button" aria-label="Remove passenger {i + 1}" onclick={() => cabin.removeRow(i)}>×</button></li>
    {/each}</ul>
    <button type="button" disabled={values.passengers.length === 3} onclick={cabin.addRow}>Add a passenger</button></fieldset>
  <button type="button" onclick={() => dialog.showModal()}>Leave a note</button>
  <button disabled={form.sending}>Book</button>
</form>
<dialog bind:this={dialog} aria-labelledby="note-title"><h2 id="note-title">A note</h2>
  <label>Your note <textarea oninput={(event) => { cabin.note = event.currentTarget.value; }}></textarea></label>
  <button onclick={() => dialog.close()}>Keep the note</button></dialog>
<div role="status">{form.notice}</div>
