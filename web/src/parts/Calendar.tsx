import { ChevronDown, ChevronLeft, ChevronRight, ChevronUp } from "lucide-react";
import { DayPicker } from "react-day-picker";

/** A month to choose a day from. It comes with a chunk of its own: few open it. */
export default function Calendar({ day, choose }: { day: string | undefined; choose: (day: string) => void }) {
  const shown = day ? new Date(`${day}T12:00:00`) : undefined;
  return (
    <DayPicker
      mode="single"
      autoFocus
      weekStartsOn={1}
      captionLayout="dropdown"
      startMonth={new Date(2000, 0)}
      endMonth={new Date(2099, 11)}
      {...(shown && { selected: shown, defaultMonth: shown })}
      onSelect={(at) =>
        at && choose(new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 10))
      }
      labels={{ labelDayButton: (at) => at.toLocaleDateString("en-IE", { dateStyle: "full" }) }}
      components={{
        Chevron: ({ orientation }) => {
          const Icon = { left: ChevronLeft, right: ChevronRight, up: ChevronUp, down: ChevronDown }[
            orientation ?? "down"
          ];
          return <Icon size={orientation === "down" ? 14 : 18} aria-hidden />;
        },
      }}
      classNames={{
        root: "p-3",
        months: "relative",
        nav: "absolute right-0 top-0 flex gap-1",
        button_previous: "rounded-sm p-1.5 hover:bg-inset",
        button_next: "rounded-sm p-1.5 hover:bg-inset",
        month_caption: "mb-2 flex h-8 items-center font-semibold",
        dropdowns: "flex gap-1",
        dropdown_root: "relative inline-flex items-center",
        dropdown: "absolute inset-0 cursor-pointer opacity-0",
        caption_label: "inline-flex items-center gap-1 rounded-sm px-1 underline underline-offset-4",
        weekday: "w-9 pb-1 text-sm font-normal text-faded",
        day: "p-0 text-center",
        day_button: "size-9 rounded-sm hover:bg-inset",
        today: "font-bold text-damson",
        selected: "rounded-sm bg-damson text-paper [&>button:hover]:bg-damson",
        outside: "text-faded",
      }}
    />
  );
}
