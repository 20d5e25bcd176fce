import { useReducer, useRef, useState } from "react";
import { createRoot } from "react-dom/client";
import {
  Button, Checkbox, DateField, DateInput, DateSegment, Dialog, DialogTrigger, FieldError, Group, Heading, Input, Label, ListBox, ListBoxItem, Modal, ModalOverlay,
  NumberField, Popover, Radio, RadioGroup, Select, SelectValue, TextArea, TextField,
} from "react-aria-components";
import { CalendarDate } from "@internationalized/date";
import { BOATS, DECKS, MEALS, createCabin } from "../shared/cabin.js";

function Cabin() {
  const [, draw] = useReducer((count) => count + 1, 0);
  const held = useRef(null);
  held.current ??= createCabin(draw);
  const form = held.current, { values } = form;
  const [note, setNote] = useState("");
  const [day, setDay] = useState(null);
  const wrong = (name) => ({ isInvalid: Boolean(form.message(name)), validationBehavior: "aria" });
  const text = (name, label) => (
    <TextField value={values[name]} onChange={(value) => form.set(name, value)} onBlur={() => form.leave(name)} {...wrong(name)}>
      <Label>{label}</Label><Input /><FieldError>{form.message(name)}</FieldError>
    </TextField>
  );
  const choice = (name, label, pairs, more) => (
    <Select placeholder="Choose…" onBlur={() => form.leave(name)} {...wrong(name)} {...more}>
      <Label>{label}</Label><Button><SelectValue /></Button><FieldError>{form.message(name)}</FieldError>
      <Popover><ListBox>{pairs.map(([value, each]) => <ListBoxItem key={value} id={value}>{each}</ListBoxItem>)}</ListBox></Popover>
    </Select>
  );
  return (
    <form noValidate onSubmit={(event) => { event.preventDefault(); form.submit(); }}>
      {text("guest", "Guest")}
      {text("email", "Email")}
      <NumberField value={values.nights === "" ? NaN : values.nights} onChange={(value) => form.set("nights", Number.isNaN(value) ? "" : value)} onBlur={() => form.leave("nights")} {...wrong("nights")}>
        <Label>Nights</Label><Group><Button slot="decrement">−</Button><Input /><Button slot="increment">+</Button></Group><FieldError>{form.message("nights")}</FieldError>
      </NumberField>
      {choice("boat", "Boat", BOATS, { value: values.boat || null, onChange: (value) => form.set("boat", value ?? "") })}
      {choice("meals", "Meals", MEALS, { selectionMode: "multiple", value: values.meals, onChange: (value) => form.set("meals", MEALS.map(([each]) => each).filter((each) => value.includes(each))) })}
      <Checkbox isSelected={values.dog} onChange={(on) => form.set("dog", on)}><div className="box" />I bring a dog</Checkbox>
      <RadioGroup value={values.deck || null} onChange={(value) => form.set("deck", value)} onBlur={() => form.leave("deck")} {...wrong("deck")}>
        <Label>Deck</Label>{DECKS.map(([value, label]) => <Radio key={value} value={value}>{label}</Radio>)}<FieldError>{form.message("deck")}</FieldError>
      </RadioGroup>
      <DateField value={day} onChange={(value) => { setDay(value); form.set("from", value instanceof CalendarDate ? value.toString() : ""); }} onBlur={() => form.leave("from")} {...wrong("from")}>
        <Label>From</Label><DateInput>{(segment) => <DateSegment segment={segment} />}</DateInput><FieldError>{form.message("from")}</FieldError>
      </DateField>
      {text("voucher", "Voucher")}
      <fieldset>
        <legend>Passengers</legend>
        {values.passengers.map((row, i) => (
          <Group key={row.key} aria-label={`Passenger ${i + 1}`}>
            <TextField value={row.name} onChange={(value) => form.setRow(i, value)} onBlur={() => form.leaveRow(i)} {...wrong(`passengers[${i}].name`)}>
              <Label>Name</Label><Input /><FieldError>{form.message(`passengers[${i}].name`)}</FieldError>
            </TextField>
            <Button onPress={() => form.removeRow(i)}>Remove</Button>
          </Group>
        ))}
        <Button isDisabled={values.passengers.length === 3} onPress={form.addRow}>Add a passenger</Button>
      </fieldset>
      <DialogTrigger isOpen={form.open} onOpenChange={(open) => { if (open) { setNote(form.note); form.openNote(); } else form.closeNote(); }}>
        <Button>Leave a note</Button>
        <ModalOverlay isDismissable><Modal><Dialog>
          <Heading slot="title">A note</Heading>
          <TextField value={note} onChange={setNote}><Label>Your note</Label><TextArea /></TextField>
          <Button onPress={() => form.keepNote(note)}>Keep the note</Button>
        </Dialog></Modal></ModalOverlay>
      </DialogTrigger>
      <Button type="submit" isDisabled={form.sending}>Book</Button>
      <div role="status">{form.notice}</div>
    </form>
  );
}
createRoot(document.getElementById("root")).render(<Cabin />);
