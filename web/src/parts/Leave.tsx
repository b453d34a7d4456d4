import { useBlocker } from "@tanstack/react-router";
import { isTyped, letTyped } from "@/api/typed";
import { Ask } from "./Ask";
import { Button } from "./Button";

/** Asks whoever leaves a page on which something is typed that is not sent. */
export function Leave() {
  const blocker = useBlocker({
    shouldBlockFn: ({ current, next }) => isTyped() && current.pathname !== next.pathname,
    enableBeforeUnload: isTyped,
    withResolver: true,
  });
  if (blocker.status !== "blocked") return null;
  return (
    <Ask
      open
      onOpenChange={(open) => !open && blocker.reset()}
      title="Leave this page?"
      about="What you typed on it is not sent, and is lost."
    >
      <div className="flex gap-2">
        <Button look="main" autoFocus onClick={blocker.reset}>
          Stay
        </Button>
        <Button
          onClick={() => {
            letTyped();
            blocker.proceed();
          }}
        >
          Leave, and lose it
        </Button>
      </div>
    </Ask>
  );
}
