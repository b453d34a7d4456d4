import { AlertTriangle, Check, Clock, DoorOpen, Lock, UserX } from "lucide-react";
import type { ReactNode } from "react";
import type { Staff } from "@/api/api";

const marks = {
  active: { icon: Check, look: "text-open bg-open-wash", word: "Active" },
  prepared: { icon: Clock, look: "text-soon bg-soon-wash", word: "Prepared" },
  left: { icon: UserX, look: "text-faded bg-inset", word: "Left" },
  locked: { icon: Lock, look: "text-shut bg-shut-wash", word: "Locked" },
  stuck: { icon: AlertTriangle, look: "text-soon bg-soon-wash", word: "Not ready" },
  settle: { icon: Clock, look: "text-faded bg-inset", word: "To settle" },
  wrong: { icon: AlertTriangle, look: "text-shut bg-shut-wash", word: "Wrong" },
  open: { icon: DoorOpen, look: "text-open bg-open-wash", word: "Allowed" },
  shut: { icon: Lock, look: "text-shut bg-shut-wash", word: "Refused" },
};

/** A status: icon, word and colour together. */
export function Mark({ of, children }: { of: keyof typeof marks; children?: ReactNode }) {
  const { icon: Icon, look, word } = marks[of];
  return (
    <span
      className={`inline-flex items-center gap-1 rounded-sm px-1.5 py-px text-sm font-semibold whitespace-nowrap ${look}`}
    >
      <Icon size={14} aria-hidden />
      {children ?? word}
    </span>
  );
}

export function StaffMark({ staff }: { staff: Pick<Staff, "status" | "lock"> }) {
  return staff.lock ? <Mark of="locked" /> : <Mark of={staff.status} />;
}
