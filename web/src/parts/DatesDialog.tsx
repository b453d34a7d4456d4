import type { ReactNode } from "react";
import type { Operation } from "@/api/api";
import { Ask } from "./Ask";
import { Reasoned } from "./change";
import { DateField } from "./DateField";
import { useMerging } from "./merging";

/** Changes between which days something counts, with what that gives and takes shown first. */
export function DatesDialog({
  title,
  about,
  op,
  record,
  further = {},
  children,
  close,
}: {
  title: string;
  about: string;
  op: string;
  record: { id: number; from?: string; until?: string; etag: string };
  further?: Record<string, unknown>;
  children?: ReactNode;
  close: () => void;
}) {
  const { form, put, changed, theirs } = useMerging({ from: record.from ?? "", until: record.until ?? "" });
  const set = { ...further, ...changed };
  const operations: Operation[] = Object.keys(set).length
    ? [{ op, on: String(record.id), if_revision: Number(record.etag.replace(/\D/g, "")), set }]
    : [];
  return (
    <Ask open wide onOpenChange={close} title={title} about={about}>
      <div className="mb-4 grid grid-cols-2 gap-3">
        {children}
        <DateField
          label="From"
          optional
          type="date"
          value={form.from}
          onChange={(e) => put({ from: e.target.value })}
          {...theirs("from")}
        />
        <DateField
          label="Until"
          optional
          type="date"
          value={form.until}
          onChange={(e) => put({ until: e.target.value })}
          hint="The last day that counts; left empty, it is open."
          {...theirs("until")}
        />
      </div>
      <Reasoned operations={operations} button="Change it" close={close} />
    </Ask>
  );
}
