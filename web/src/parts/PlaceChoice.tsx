import { NarrowBy } from "./Combobox";
import { placeOptions, siteOptions, usePlaces } from "./choices";

type Props = { label: string; value: string | undefined; onChange: (code: string | undefined) => void; any?: string };

/** Narrows a list by a site; empty, it narrows nothing. */
export function SiteChoice({ label, value, onChange, any = "Any site" }: Props) {
  return (
    <NarrowBy
      label={label}
      options={siteOptions(usePlaces().data)}
      value={value ?? ""}
      onChange={(e) => onChange(e.target.value || undefined)}
      placeholder={any}
    />
  );
}

/** Narrows a list by a place and all below it; empty, it narrows nothing. */
export function PlaceChoice({ label, value, onChange, any = "Any place" }: Props) {
  return (
    <NarrowBy
      label={label}
      options={placeOptions(usePlaces().data)}
      value={value ?? ""}
      onChange={(e) => onChange(e.target.value || undefined)}
      placeholder={any}
    />
  );
}
