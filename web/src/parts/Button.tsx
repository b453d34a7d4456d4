import type { ComponentProps } from "react";

const looks = {
  main: "bg-damson text-sheet border-damson hover:bg-damson-deep",
  plain: "bg-sheet text-ink border-edge hover:bg-inset",
  grave: "bg-sheet text-shut border-shut hover:bg-shut-wash",
  quiet: "border-transparent text-damson underline decoration-brass-light underline-offset-4 hover:decoration-damson",
};

/** What makes a button, or a link that leads to an act, look like one. */
export const buttonLook = (look: keyof typeof looks = "plain") =>
  `inline-flex min-h-9 items-center wrap-break-word justify-center gap-1.5 rounded-sm border px-3.5 font-medium disabled:opacity-55 ${looks[look]}`;

export function Button({
  look = "plain",
  className = "",
  ...rest
}: ComponentProps<"button"> & { look?: keyof typeof looks }) {
  return <button type="button" className={`${buttonLook(look)} ${className}`} {...rest} />;
}
