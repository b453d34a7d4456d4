import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { PINLink } from "@/areas/terminal/PINLink";
import { Terminal } from "@/areas/terminal/Terminal";
import "./theme.css";

// The pages of people who do not sign in to the console: a shared terminal, and the page that a link in a mail leads to.
const link = location.pathname.match(/^\/pin\/([\w-]+)$/);

createRoot(document.getElementById("root")!).render(
  <StrictMode>{link ? <PINLink token={link[1]!} /> : <Terminal />}</StrictMode>,
);
