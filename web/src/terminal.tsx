import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { PasswordLink } from "@/areas/terminal/PasswordLink";
import { PINLink } from "@/areas/terminal/PINLink";
import { Terminal } from "@/areas/terminal/Terminal";
import "./theme.css";

// The pages of people who do not sign in to the console: a shared terminal, and the page that a link in a mail leads to.
const [, kind, token] = location.pathname.match(/^\/(pin|password)\/([\w-]+)$/) ?? [];

// A tablet that is loaded anew while the service is away shows this page all the same. Without a safe connection browsers
// keep no such worker, and the page does without.
if (!token) void navigator.serviceWorker?.register("/terminal-worker.js", { scope: "/terminal" }).catch(() => {});

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    {!token ? <Terminal /> : kind === "pin" ? <PINLink token={token} /> : <PasswordLink token={token} />}
  </StrictMode>,
);
