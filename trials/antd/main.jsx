import { useReducer, useRef, useState } from "react";
import { createRoot } from "react-dom/client";
import { Alert, Button, Checkbox, DatePicker, Input, InputNumber, Modal, Radio, Select, Space } from "antd";
import dayjs from "dayjs";
import { BOATS, DECKS, MEALS, createCabin } from "../shared/cabin.js";

const options = (pairs) => pairs.map(([value, label]) => ({ value, label }));

function Cabin() {
  const [, draw] = useReducer((count) => count + 1, 0);
  const held = useRef(null);
  held.current ??= createCabin(draw);
  const form = held.current, { values } = form;
  const [note, setNote] = useState("");
  // The library's own form module is not used: labels and messages are joined by hand.
  const row = (name, label, control) => {
    const message = form.message(name);
    return (
      <div style={{ marginBottom: 12 }}>
        <label htmlFor={name}>{label}</label>
        <div>{control({ id: name, status: message ? "error" : "", "aria-invalid": Boolean(message), "aria-describedby": `${name}-error`, onBlur: () => form.leave(name) })}</div>
        <div id={`${name}-error`} style={{ color: "#b00" }}>{message}</div>
      </div>
    );
  };
  return (
    <form noValidate style={{ maxWidth: 480, margin: 16 }} onSubmit={(event) => { event.preventDefault(); form.submit(); }}>
      {row("guest", "Guest", (more) => <Input value={values.guest} onChange={(event) => form.set("guest", event.target.value)} {...more} />)}
      {row("email", "Email", (more) => <Input value={values.email} onChange={(event) => form.set("email", event.target.value)} {...more} />)}
      {row("nights", "Nights", (more) => <InputNumber value={values.nights} onChange={(value) => form.set("nights", value ?? "")} {...more} />)}
      {row("boat", "Boat", (more) => <Select style={{ width: 240 }} placeholder="Which boat?" options={options(BOATS)} value={values.boat || undefined} onChange={(value) => form.set("boat", value)} {...more} />)}
      {row("meals", "Meals", (more) => <Select style={{ width: 240 }} mode="multiple" options={options(MEALS)} value={values.meals} onChange={(value) => form.set("meals", MEALS.map(([each]) => each).filter((each) => value.includes(each)))} {...more} />)}
      <Checkbox checked={values.dog} onChange={(event) => form.set("dog", event.target.checked)}>I bring a dog</Checkbox>
      <fieldset aria-describedby="deck-error" aria-invalid={Boolean(form.message("deck"))} onBlur={() => form.leave("deck")}>
        <legend>Deck</legend>
        <Radio.Group name="deck" options={options(DECKS)} value={values.deck} onChange={(event) => form.set("deck", event.target.value)} />
        <div id="deck-error">{form.message("deck")}</div>
      </fieldset>
      {row("from", "From", (more) => <DatePicker format="DD.MM.YYYY" value={values.from ? dayjs(values.from) : null} onChange={(day) => form.set("from", day ? day.format("YYYY-MM-DD") : "")} {...more} />)}
      {row("voucher", "Voucher", (more) => <Input value={values.voucher} onChange={(event) => form.set("voucher", event.target.value)} {...more} />)}
      <fieldset>
        <legend>Passengers</legend>
        {values.passengers.map((each, i) => (
          <div key={each.key} role="group" aria-label={`Passenger ${i + 1}`}>
            <Space>
              <label htmlFor={`name-${each.key}`}>Name</label>
              <Input id={`name-${each.key}`} value={each.name} status={form.message(`passengers[${i}].name`) ? "error" : ""} aria-invalid={Boolean(form.message(`passengers[${i}].name`))}
                aria-describedby={`name-${each.key}-error`} onChange={(event) => form.setRow(i, event.target.value)} onBlur={() => form.leaveRow(i)} />
              <Button onClick={() => form.removeRow(i)}>Remove</Button>
            </Space>
            <div id={`name-${each.key}-error`}>{form.message(`passengers[${i}].name`)}</div>
          </div>
        ))}
        <Button disabled={values.passengers.length === 3} onClick={form.addRow}>Add a passenger</Button>
      </fieldset>
      <Button onClick={() => { setNote(form.note); form.openNote(); }}>Leave a note</Button>
      <Button type="primary" htmlType="submit" disabled={form.sending}>Book</Button>
      <Modal title="A note" open={form.open} okText="Keep the note" onOk={() => form.keepNote(note)} onCancel={form.closeNote}>
        <label htmlFor="note-text">Your note</label>
        <Input.TextArea id="note-text" value={note} onChange={(event) => setNote(event.target.value)} />
      </Modal>
      {form.notice && <Alert title={form.notice} type="success" />}
    </form>
  );
}
createRoot(document.getElementById("root")).render(<Cabin />);
