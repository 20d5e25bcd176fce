import "vuetify/styles";
import { createApp, reactive, shallowRef, triggerRef } from "vue";
import { createVuetify } from "vuetify";
import * as components from "vuetify/components";
import { BOATS, DECKS, MEALS, createCabin } from "../shared/cabin.js";

const options = (pairs) => pairs.map(([value, title]) => ({ value, title }));

createApp({
  setup() {
    const form = shallowRef(null), note = reactive({ text: "" });
    form.value = createCabin(() => triggerRef(form));
    const say = (address) => { const text = form.value.message(address); return text ? [text] : []; };
    const inOrder = (chosen) => MEALS.map(([value]) => value).filter((value) => chosen.includes(value));
    return { form, note, say, inOrder, boats: options(BOATS), meals: options(MEALS), decks: DECKS };
  },
  template: `
    <v-app><v-main><form novalidate style="max-width: 480px; margin: 16px" @submit.prevent="form.submit()">
      <v-text-field v-for="[name, label] in [['guest', 'Guest'], ['email', 'Email']]" :key="name" :label="label" :model-value="form.values[name]" :error-messages="say(name)"
        @update:model-value="form.set(name, $event)" @blur="form.leave(name)" />
      <v-text-field label="Nights" type="number" :model-value="form.values.nights" :error-messages="say('nights')" @update:model-value="form.set('nights', $event)" @blur="form.leave('nights')" />
      <v-select label="Boat" :items="boats" :model-value="form.values.boat || null" :error-messages="say('boat')" @update:model-value="form.set('boat', $event)" @blur="form.leave('boat')" />
      <v-select label="Meals" multiple chips :items="meals" :model-value="[...form.values.meals]" :error-messages="say('meals')" @update:model-value="form.set('meals', inOrder($event))" @blur="form.leave('meals')" />
      <v-checkbox label="I bring a dog" :model-value="form.values.dog" @update:model-value="form.set('dog', $event)" />
      <v-radio-group label="Deck" :model-value="form.values.deck" :error-messages="say('deck')" @update:model-value="form.set('deck', $event)" @focusout="form.leave('deck')">
        <v-radio v-for="[value, label] in decks" :key="value" :label="label" :value="value" />
      </v-radio-group>
      <v-text-field label="From" type="date" :model-value="form.values.from" :error-messages="say('from')" @update:model-value="form.set('from', $event)" @blur="form.leave('from')" />
      <v-text-field label="Voucher" :model-value="form.values.voucher" :error-messages="say('voucher')" @update:model-value="form.set('voucher', $event)" @blur="form.leave('voucher')" />
      <fieldset><legend>Passengers</legend>
        <v-card v-for="(row, i) in form.values.passengers" :key="row.key" role="group" :aria-label="'Passenger ' + (i + 1)">
          <v-text-field label="Name" :model-value="row.name" :error-messages="say('passengers[' + i + '].name')" @update:model-value="form.setRow(i, $event)" @blur="form.leaveRow(i)" />
          <v-btn @click="form.removeRow(i)">Remove</v-btn>
        </v-card>
        <v-btn :disabled="form.values.passengers.length === 3" @click="form.addRow()">Add a passenger</v-btn>
      </fieldset>
      <v-btn @click="note.text = form.note; form.openNote()">Leave a note</v-btn>
      <v-btn type="submit" :disabled="form.sending">Book</v-btn>
      <v-dialog :model-value="form.open" max-width="400" @update:model-value="$event || form.closeNote()">
        <v-card title="A note"><v-card-text><v-textarea label="Your note" v-model="note.text" /></v-card-text>
          <v-card-actions><v-btn @click="form.keepNote(note.text)">Keep the note</v-btn></v-card-actions></v-card>
      </v-dialog>
      <v-snackbar :model-value="Boolean(form.notice)" :timeout="-1">{{ form.notice }}</v-snackbar>
    </form></v-main></v-app>`,
}).use(createVuetify({ components })).mount("#root");
