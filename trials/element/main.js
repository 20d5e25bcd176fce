import "element-plus/dist/index.css";
import { createApp, reactive, shallowRef, triggerRef } from "vue";
import ElementPlus, { ElMessage } from "element-plus";
import { BOATS, DECKS, MEALS, createCabin } from "../shared/cabin.js";

createApp({
  setup() {
    const form = shallowRef(null), note = reactive({ text: "" });
    let told = "";
    form.value = createCabin(() => {
      triggerRef(form);
      const { notice } = form.value;
      if (notice && notice !== told) ElMessage.success(notice);
      told = notice;
    });
    const inOrder = (chosen) => MEALS.map(([value]) => value).filter((value) => chosen.includes(value));
    return { form, note, inOrder, boats: BOATS, meals: MEALS, decks: DECKS };
  },
  // The library's form items draw messages only with its own checks, so that each message is drawn by hand.
  template: `
    <form novalidate style="max-width: 480px; margin: 16px" @submit.prevent="form.submit()">
      <div class="line" v-for="[name, label] in [['guest', 'Guest'], ['email', 'Email']]" :key="name"><label :for="name">{{ label }}</label>
        <el-input :id="name" :class="{ wrong: form.message(name) }" :model-value="form.values[name]" @update:model-value="form.set(name, $event)" @blur="form.leave(name)" />
        <div class="message">{{ form.message(name) }}</div></div>
      <div class="line"><label for="nights">Nights</label>
        <el-input-number id="nights" :class="{ wrong: form.message('nights') }" :model-value="form.values.nights === '' ? null : form.values.nights" @update:model-value="form.set('nights', $event ?? '')" @blur="form.leave('nights')" />
        <div class="message">{{ form.message('nights') }}</div></div>
      <div class="line"><label for="boat">Boat</label>
        <el-select id="boat" placeholder="Which boat?" :class="{ wrong: form.message('boat') }" :model-value="form.values.boat" @update:model-value="form.set('boat', $event)" @blur="form.leave('boat')">
          <el-option v-for="[value, label] in boats" :key="value" :value="value" :label="label" /></el-select>
        <div class="message">{{ form.message('boat') }}</div></div>
      <div class="line"><label for="meals">Meals</label>
        <el-select id="meals" multiple :class="{ wrong: form.message('meals') }" :model-value="form.values.meals" @update:model-value="form.set('meals', inOrder($event))" @blur="form.leave('meals')">
          <el-option v-for="[value, label] in meals" :key="value" :value="value" :label="label" /></el-select>
        <div class="message">{{ form.message('meals') }}</div></div>
      <el-checkbox :model-value="form.values.dog" @update:model-value="form.set('dog', $event)" label="I bring a dog" />
      <div class="line"><span id="deck-label">Deck</span>
        <el-radio-group aria-labelledby="deck-label" name="deck" :class="{ wrong: form.message('deck') }" :model-value="form.values.deck" @update:model-value="form.set('deck', $event)" @focusout="form.leave('deck')">
          <el-radio v-for="[value, label] in decks" :key="value" :value="value">{{ label }}</el-radio></el-radio-group>
        <div class="message">{{ form.message('deck') }}</div></div>
      <div class="line"><label for="from">From</label>
        <el-date-picker id="from" format="DD/MM/YYYY" value-format="YYYY-MM-DD" :class="{ wrong: form.message('from') }" :model-value="form.values.from" @update:model-value="form.set('from', $event ?? '')" @blur="form.leave('from')" />
        <div class="message">{{ form.message('from') }}</div></div>
      <div class="line"><label for="voucher">Voucher</label>
        <el-input id="voucher" :class="{ wrong: form.message('voucher') }" :model-value="form.values.voucher" @update:model-value="form.set('voucher', $event)" @blur="form.leave('voucher')" />
        <div class="message">{{ form.message('voucher') }}</div></div>
      <fieldset><legend>Passengers</legend>
        <ul><li class="line" v-for="(row, i) in form.values.passengers" :key="row.key"><label :for="'row-' + row.key">Name</label>
          <el-input :id="'row-' + row.key" :class="{ wrong: form.message('passengers[' + i + '].name') }" :model-value="row.name" @update:model-value="form.setRow(i, $event)" @blur="form.leaveRow(i)" />
          <div class="message">{{ form.message('passengers[' + i + '].name') }}</div>
          <el-button @click="form.removeRow(i)">Remove</el-button></li></ul>
        <el-button :disabled="form.values.passengers.length === 3" @click="form.addRow()">Add a passenger</el-button>
      </fieldset>
      <el-button @click="note.text = form.note; form.openNote()">Leave a note</el-button>
      <el-button native-type="submit" :disabled="form.sending">Book</el-button>
      <el-dialog title="A note" :model-value="form.open" @update:model-value="$event || form.closeNote()">
        <label>Your note <el-input type="textarea" v-model="note.text" /></label>
        <el-button @click="form.keepNote(note.text)">Keep the note</el-button>
      </el-dialog>
    </form>`,
}).use(ElementPlus).mount("#root");
