import { mount } from "svelte";
import Cabin from "./Cabin.svelte";

mount(Cabin, { target: document.getElementById("root") });
