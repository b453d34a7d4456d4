import { useVirtualizer } from "@tanstack/react-virtual";
import { useCombobox } from "downshift";
import { ChevronDown } from "lucide-react";
import { Popover } from "radix-ui";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { Field, type FieldProps, Filter, inputLook } from "./fields";
import { fits, fold } from "./fold";

/** One of those that a combobox offers. */
export type Option = {
  value: string;
  label: string;
  note?: string | undefined; // beside it: its code, or where it stands
  depth?: number | undefined; // in a tree
  disabled?: boolean | undefined;
};

type Props = FieldProps & {
  options: Option[] | undefined;
  value: string;
  onChange: (e: { target: { value: string } }) => void;
  placeholder?: string | undefined;
  required?: boolean | undefined;
  disabled?: boolean | undefined;
  searched?: ((typed: string) => void) | undefined; // the service searches, not this field
  settled?: boolean | undefined; // what the service found is what was typed
  shown?: string | undefined; // what is chosen, where it is not among the options
  nothing?: string | undefined;
  free?: boolean | undefined; // what is offered is a help, and any other text is taken too
  maxLength?: number | undefined;
};

/** Chooses one of many by typing any part of it: arrows and Enter, or the mouse. A tree stays one until something is typed. */
export function Combobox({ label, hint, error, optional, className, ...rest }: Props) {
  const [unsettled, setUnsettled] = useState("");
  return (
    <Field {...{ label, optional, className }} error={unsettled || error} hint={hint}>
      {(tie) => <Choosing {...rest} label={label} tie={tie} unsettled={setUnsettled} />}
    </Field>
  );
}

/** The same beside a list that it narrows, without a label to see. */
export function NarrowBy({ label, ...rest }: Omit<Props, keyof FieldProps> & { label: string }) {
  return (
    <Filter label={label}>
      <Choosing {...rest} label={label} tie={{ "aria-label": label }} />
    </Filter>
  );
}

const rowHeight = 34;

function Choosing({
  options = [],
  value,
  onChange,
  placeholder,
  required,
  disabled,
  searched,
  settled = true,
  shown,
  nothing = "Nothing is called that.",
  free = false,
  maxLength,
  label,
  tie,
  unsettled,
}: Omit<Props, keyof FieldProps> & {
  label: string;
  tie: { id?: string; "aria-label"?: string };
  unsettled?: (why: string) => void;
}) {
  const input = useRef<HTMLInputElement | null>(null);
  const [typed, setTyped] = useState<string>(); // undefined: what is chosen stands there
  const chosen = options.find((o) => o.value === value);
  const sought = typed?.trim() ?? "";
  const folded = useMemo(() => options.map((o) => fold(`${o.label} ${o.value} ${o.note ?? ""}`)), [options]);
  const found = useMemo(
    () => (sought && !searched ? options.filter((_, i) => fits(folded[i] ?? "", sought)) : options),
    [options, folded, sought, searched],
  );
  const give = (next: string) => next !== value && onChange({ target: { value: next } });
  /** What was typed means one thing: its code or name, or the only one that fits. */
  const meant = (text: string) => {
    const wanted = fold(text.trim());
    if (!wanted) return undefined;
    const may = options.filter((o) => !o.disabled);
    const named = may.filter((o) => fold(o.value) === wanted || fold(o.label) === wanted);
    if (named.length === 1) return named[0];
    if (free) return { value: text.trim(), label: text.trim() };
    if (!settled) return undefined;
    const fit = searched ? may : may.filter((o) => fits(fold(`${o.label} ${o.value} ${o.note ?? ""}`), text));
    return fit.length === 1 ? fit[0] : undefined;
  };
  const menu = useCombobox<Option>({
    items: found,
    inputValue: typed ?? chosen?.label ?? shown ?? value,
    selectedItem: null, // so that the same one may be chosen again
    itemToString: (o) => o?.label ?? "",
    itemToKey: (o) => o?.value,
    isItemDisabled: (o) => !!o.disabled,
    defaultHighlightedIndex: free ? -1 : sought ? 0 : found.findIndex((o) => o.value === value),
    onSelectedItemChange: ({ selectedItem }) => {
      if (!selectedItem) return;
      setTyped(undefined);
      unsettled?.("");
      searched?.("");
      give(selectedItem.value);
    },
    stateReducer: (_, { type, changes }) =>
      // Leaving the field chooses what was typed, not what happens to be highlighted
      type === useCombobox.stateChangeTypes.InputBlur ? { isOpen: false, highlightedIndex: -1 } : changes,
  });
  const one = typed === undefined ? undefined : meant(typed);
  const settle = one?.value;
  // biome-ignore lint/correctness/useExhaustiveDependencies: only what was typed, and what there is, settles it
  useEffect(() => {
    if (settle === undefined) return;
    give(settle);
    unsettled?.("");
    if (document.activeElement !== input.current) setTyped(undefined); // found after the field was left
  }, [settle, typed]);
  const why =
    typed?.trim() && !one && options.length > 0
      ? found.length
        ? `Several fit “${typed.trim()}”. Choose one of them.`
        : nothing
      : "";
  useEffect(() => input.current?.setCustomValidity(typed?.trim() && !one ? why || "Reading…" : ""), [typed, one, why]);
  menu.getMenuProps({}, { suppressRefError: true }); // the menu is drawn only while it is open
  return (
    <Popover.Root open={menu.isOpen && !(free && found.length === 0)}>
      <Popover.Anchor className="relative block">
        <input
          {...menu.getInputProps({
            ref: input,
            disabled,
            onChange: (e) => {
              const text = e.currentTarget.value;
              setTyped(text);
              unsettled?.("");
              searched?.(text);
              if (!text.trim()) give("");
            },
            // Enter in an open list chooses; it does not send the form that the field is in.
            onKeyDown: (e) => {
              if (e.key !== "Enter" || !menu.isOpen || (free && menu.highlightedIndex < 0)) return;
              e.preventDefault();
              if (menu.highlightedIndex >= 0 || !one) return;
              setTyped(undefined);
              menu.closeMenu();
            },
            onClick: (e) => typed === undefined && e.currentTarget.select(), // what is typed next stands in its place
            onFocus: (e) => e.currentTarget.select(),
            onBlur: () => {
              if (typed === undefined || one || !typed.trim()) setTyped(undefined);
              else unsettled?.(why);
            },
          })}
          {...tie}
          required={required}
          maxLength={maxLength}
          autoComplete="off"
          placeholder={placeholder}
          className={`${inputLook} pr-8 placeholder:text-faded`}
        />
        <button
          {...menu.getToggleButtonProps({ disabled })}
          type="button"
          tabIndex={-1}
          aria-label={`Open ${label}`}
          className="absolute inset-y-0 right-0 flex w-8 items-center justify-center text-faded"
        >
          <ChevronDown size={16} aria-hidden />
        </button>
      </Popover.Anchor>
      {/* beside the page that it belongs to; a dialog moves what stands in it, so there at the end of all */}
      <Popover.Portal
        container={
          input.current?.closest("[role=dialog]")
            ? undefined
            : (input.current?.closest<HTMLElement>("main") ?? undefined)
        }
      >
        <Popover.Content
          align="start"
          sideOffset={3}
          role="group"
          aria-label={label}
          onOpenAutoFocus={(e) => e.preventDefault()}
          onCloseAutoFocus={(e) => e.preventDefault()}
          onInteractOutside={(e) => e.preventDefault()}
          className="z-50 w-[max(var(--radix-popover-trigger-width),16rem)] max-w-[92vw]"
        >
          <Offered menu={menu} found={found} tree={!sought} label={label} nothing={nothing} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** What is offered: only the rows that are seen are drawn, so that ten thousand scroll as ten do. */
function Offered({
  menu,
  found,
  tree,
  label,
  nothing,
}: {
  menu: ReturnType<typeof useCombobox<Option>>;
  found: Option[];
  tree: boolean;
  label: string;
  nothing: string;
}) {
  const list = useRef<HTMLUListElement | null>(null);
  const rows = useVirtualizer({
    count: menu.isOpen ? found.length : 0,
    getScrollElement: () => list.current,
    estimateSize: () => rowHeight,
    overscan: 8,
  });
  const at = menu.highlightedIndex;
  useEffect(() => {
    if (menu.isOpen && at >= 0) rows.scrollToIndex(at);
  }, [menu.isOpen, at, rows]);
  return (
    <ul
      {...menu.getMenuProps({ ref: list, "aria-label": label }, { suppressRefError: true })}
      className="max-h-72 overflow-y-auto rounded-sm border border-edge bg-sheet py-1 shadow-lg"
    >
      {menu.isOpen && found.length === 0 && <li className="px-2.5 py-1.5 text-faded">{nothing}</li>}
      {menu.isOpen && found.length > 0 && (
        <li role="presentation" className="relative" style={{ height: rows.getTotalSize() }}>
          <ul role="presentation">
            {rows.getVirtualItems().map((row) => (
              <Offer
                key={row.key}
                menu={menu}
                option={found[row.index]}
                index={row.index}
                top={row.start}
                tree={tree}
              />
            ))}
          </ul>
        </li>
      )}
    </ul>
  );
}

function Offer({
  menu,
  option: o,
  index,
  top,
  tree,
}: {
  menu: ReturnType<typeof useCombobox<Option>>;
  option: Option | undefined;
  index: number;
  top: number;
  tree: boolean;
}): ReactNode {
  if (!o) return null;
  return (
    <li
      {...menu.getItemProps({ item: o, index })}
      style={{
        height: rowHeight,
        transform: `translateY(${top}px)`,
        paddingLeft: 10 + (tree ? (o.depth ?? 0) * 16 : 0),
      }}
      className={`absolute inset-x-0 flex items-center justify-between gap-3 truncate pr-2.5 ${
        menu.highlightedIndex === index ? "bg-damson text-paper" : ""
      } ${o.disabled ? "opacity-50" : "cursor-pointer"}`}
    >
      <span className="truncate">{o.label}</span>
      {o.note && (
        <span className={`shrink-0 text-sm ${menu.highlightedIndex === index ? "" : "text-faded"}`}>{o.note}</span>
      )}
    </li>
  );
}
