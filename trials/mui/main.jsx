import { useReducer, useRef, useState } from "react";
import { createRoot } from "react-dom/client";
import {
  Alert, Autocomplete, Button, Checkbox, Dialog, DialogActions, DialogContent, DialogTitle, FormControl, FormControlLabel, FormHelperText, FormLabel,
  InputLabel, MenuItem, Radio, RadioGroup, Select, Snackbar, Stack, TextField,
} from "@mui/material";
import { DatePicker, LocalizationProvider } from "@mui/x-date-pickers";
import { AdapterDayjs } from "@mui/x-date-pickers/AdapterDayjs";
import dayjs from "dayjs";
import { BOATS, DECKS, MEALS, createCabin } from "../shared/cabin.js";

function Cabin() {
  const [, draw] = useReducer((count) => count + 1, 0);
  const held = useRef(null);
  held.current ??= createCabin(draw);
  const form = held.current, { values } = form;
  const [note, setNote] = useState("");
  const text = (name, label, more = {}) => (
    <TextField id={name} label={label} value={values[name]} error={Boolean(form.message(name))} helperText={form.message(name)}
      onChange={(event) => form.set(name, event.target.value)} onBlur={() => form.leave(name)} {...more} />
  );
  return (
    <LocalizationProvider dateAdapter={AdapterDayjs}>
      <Stack component="form" noValidate spacing={2} sx={{ maxWidth: 480, margin: 2 }} onSubmit={(event) => { event.preventDefault(); form.submit(); }}>
        {text("guest", "Guest")}
        {text("email", "Email")}
        {text("nights", "Nights", { type: "number" })}
        <FormControl error={Boolean(form.message("boat"))}>
          <InputLabel id="boat-label">Boat</InputLabel>
          <Select labelId="boat-label" id="boat-select" label="Boat" value={values.boat} aria-describedby="boat-help" onChange={(event) => form.set("boat", event.target.value)} onBlur={() => form.leave("boat")}>
            {BOATS.map(([value, label]) => <MenuItem key={value} value={value}>{label}</MenuItem>)}
          </Select>
          <FormHelperText id="boat-help">{form.message("boat")}</FormHelperText>
        </FormControl>
        <Autocomplete multiple options={MEALS} getOptionLabel={([, label]) => label} value={MEALS.filter(([value]) => values.meals.includes(value))} isOptionEqualToValue={(a, b) => a[0] === b[0]}
          onChange={(_, chosen) => form.set("meals", MEALS.map(([value]) => value).filter((value) => chosen.some(([each]) => each === value)))} onBlur={() => form.leave("meals")}
          renderInput={(params) => <TextField {...params} label="Meals" error={Boolean(form.message("meals"))} helperText={form.message("meals")} />} />
        <FormControlLabel label="I bring a dog" control={<Checkbox checked={values.dog} onChange={(event) => form.set("dog", event.target.checked)} />} />
        <FormControl error={Boolean(form.message("deck"))}>
          <FormLabel id="deck-label">Deck</FormLabel>
          <RadioGroup aria-labelledby="deck-label" aria-describedby="deck-help" aria-invalid={Boolean(form.message("deck"))} name="deck" value={values.deck} onChange={(event) => form.set("deck", event.target.value)} onBlur={() => form.leave("deck")}>
            {DECKS.map(([value, label]) => <FormControlLabel key={value} value={value} label={label} control={<Radio />} />)}
          </RadioGroup>
          <FormHelperText id="deck-help">{form.message("deck")}</FormHelperText>
        </FormControl>
        <DatePicker label="From" value={values.from ? dayjs(values.from) : null} onChange={(day) => form.set("from", day?.isValid() ? day.format("YYYY-MM-DD") : "")}
          slotProps={{ textField: { error: Boolean(form.message("from")), helperText: form.message("from"), onBlur: () => form.leave("from") } }} />
        {text("voucher", "Voucher")}
        <fieldset>
          <legend>Passengers</legend>
          {values.passengers.map((row, i) => (
            <Stack key={row.key} direction="row" spacing={1} role="group" aria-label={`Passenger ${i + 1}`}>
              <TextField label="Name" value={row.name} error={Boolean(form.message(`passengers[${i}].name`))} helperText={form.message(`passengers[${i}].name`)}
                onChange={(event) => form.setRow(i, event.target.value)} onBlur={() => form.leaveRow(i)} />
              <Button onClick={() => form.removeRow(i)}>Remove</Button>
            </Stack>
          ))}
          <Button disabled={values.passengers.length === 3} onClick={form.addRow}>Add a passenger</Button>
        </fieldset>
        <Button onClick={() => { setNote(form.note); form.openNote(); }}>Leave a note</Button>
        <Button type="submit" variant="contained" disabled={form.sending}>Book</Button>
        <Dialog open={form.open} onClose={form.closeNote} aria-labelledby="note-title">
          <DialogTitle id="note-title">A note</DialogTitle>
          <DialogContent><TextField label="Your note" multiline value={note} onChange={(event) => setNote(event.target.value)} margin="dense" /></DialogContent>
          <DialogActions><Button onClick={form.closeNote}>Cancel</Button><Button onClick={() => form.keepNote(note)}>Keep the note</Button></DialogActions>
        </Dialog>
        <Snackbar open={Boolean(form.notice)}><Alert severity="success">{form.notice}</Alert></Snackbar>
      </Stack>
    </LocalizationProvider>
  );
}
createRoot(document.getElementById("root")).render(<Cabin />);
