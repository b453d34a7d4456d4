import { Link } from "@tanstack/react-router";
import { Ban, Lock, LockOpen } from "lucide-react";
import { useState } from "react";
import type { Staff } from "@/api/api";
import { useMay, useMe } from "@/areas/session/session";
import { useAct } from "@/parts/acts";
import { Button, buttonLook } from "@/parts/Button";
import { ChangeDialog } from "@/parts/change";
import { Section } from "@/parts/Page";

export type PersonDialog = "assign" | "record" | "cover" | "reinstate";

/** What the reader may do about somebody's lock and bars. */
export function useLocking(staff: Staff, self: boolean) {
  const me = useMe();
  const may = useMay();
  const touchable = !self && staff.status !== "left" && (!staff.owner || me.owner);
  return {
    lockable: !staff.narrow && may("console.lock", staff.home_site.code) && touchable,
    barrable: may("console.lock") && touchable && !staff.owner,
  };
}

/** The acts at the top of somebody's page. */
export function PersonActs({
  staff,
  self,
  open,
}: {
  staff: Staff;
  self: boolean;
  open: (dialog: PersonDialog) => void;
}) {
  const may = useMay();
  const act = useAct();
  const { lockable, barrable } = useLocking(staff, self);
  const number = staff.staff_number;
  const site = staff.home_site.code;
  const whom = { staff_number: number, name: `${staff.given_name} ${staff.family_name}` };
  return (
    <>
      {may("console.check") && (
        <Link to="/look" search={{ staff: number }} className={buttonLook()}>
          Look as
        </Link>
      )}
      {!staff.narrow && may("console.credentials", site) && staff.status !== "left" && (
        <Button aria-keyshortcuts="n" onClick={() => act("pin", whom)}>
          New PIN
        </Button>
      )}
      {may("console.assign") && !staff.narrow && !self && staff.status !== "left" && (
        <>
          <Button aria-keyshortcuts="a" onClick={() => open("assign")}>
            Assign
          </Button>
          <Button onClick={() => open("cover")}>Absent</Button>
        </>
      )}
      {barrable && (
        <Button onClick={() => act("bar", whom)}>
          <Ban size={16} aria-hidden /> Bar
        </Button>
      )}
      {lockable &&
        (staff.lock ? (
          <Button look="main" aria-keyshortcuts="l" onClick={() => act("unlock", whom)}>
            <LockOpen size={16} aria-hidden /> Unlock
          </Button>
        ) : (
          <Button look="grave" aria-keyshortcuts="l" onClick={() => act("lock", whom)}>
            <Lock size={16} aria-hidden /> Lock
          </Button>
        ))}
    </>
  );
}

/** Activating, leaving and coming back, and what goes with it. */
export function ComingAndGoing({ staff, reinstate }: { staff: Staff; reinstate: () => void }) {
  const may = useMay();
  const me = useMe();
  const [owning, setOwning] = useState(false);
  const act = useAct();
  const number = staff.staff_number;
  const site = staff.home_site.code;
  const whom = { staff_number: number, name: `${staff.given_name} ${staff.family_name}` };
  return (
    <Section title="Coming and going">
      <div className="flex flex-wrap gap-2">
        {staff.status === "prepared" && may("console.edit_staff", site) && (
          <Button onClick={() => act("activate", whom)}>Activate now</Button>
        )}
        {staff.status !== "left" && (
          <Button look="grave" onClick={() => act("leave", whom)}>
            Record leaving
          </Button>
        )}
        {(staff.status === "left" || staff.leaving_date) && <Button onClick={() => reinstate()}>Reinstate</Button>}
        {!staff.narrow && may("console.credentials", site) && staff.status !== "left" && (
          <Button onClick={() => act("password", whom)}>First password</Button>
        )}
        {me.owner && staff.status !== "left" && (
          <Button look={staff.owner ? "grave" : "plain"} onClick={() => setOwning(true)}>
            {staff.owner ? "Take ownership" : "Make an owner"}
          </Button>
        )}
      </div>
      {owning && (
        <ChangeDialog
          title={staff.owner ? `Take ownership from ${whom.name}` : `Make ${whom.name} an owner`}
          about={
            staff.owner
              ? `${staff.given_name} keeps what is assigned, and nothing beyond it.`
              : `An owner holds everything everywhere, and says who else owns the organisation here.`
          }
          operations={[{ op: staff.owner ? "staff.unmake_owner" : "staff.make_owner", on: number }]}
          button={staff.owner ? "Take it" : "Make an owner"}
          grave={!!staff.owner}
          draftable={false}
          close={() => setOwning(false)}
        />
      )}
    </Section>
  );
}
