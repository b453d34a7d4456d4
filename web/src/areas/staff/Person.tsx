import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";
import type { Staff } from "@/api/api";
import { read } from "@/api/read";
import { MessagesTo } from "@/areas/messages/Messages";
import { useMay, useMe } from "@/areas/session/session";
import { Listed, Unread } from "@/parts/Listed";
import { Mark, StaffMark } from "@/parts/Mark";
import { Empty, Page, Section } from "@/parts/Page";
import { Certificates } from "@/parts/qualifications";
import { Statement } from "@/parts/Statement";
import { Timeline } from "@/parts/Timeline";
import { AssignDialog } from "./AssignmentDialogs";
import { Assignments } from "./Assignments";
import { Credentials } from "./Credentials";
import { History } from "./History";
import { CoverDialog } from "./MoveDialog";
import { ComingAndGoing, PersonActs, type PersonDialog } from "./PersonActs";
import { PersonExceptions } from "./PersonExceptions";
import { Photo } from "./Photo";
import { Record } from "./Record";
import { RecordDialog } from "./RecordDialog";
import { ReinstateDialog } from "./ReinstateDialog";
import { ActsFor, Scope } from "./Scope";
import { Standing } from "./Standing";

/** One person: who they are, what they can do and why, and what was done. */
export function Person() {
  const { number } = useParams({ from: "/staff/$number" });
  const staff = useQuery({
    ...read("/staff/{id}", { path: { id: number } }),
  });
  if (!staff.data) return <Unread of={staff} />;
  return <Sheet key={number} staff={staff.data} />;
}

function Sheet({ staff }: { staff: Staff }) {
  const number = staff.staff_number;
  const me = useMe();
  const may = useMay();
  const site = staff.home_site.code;
  const self = me.staff_number === number;
  const access = useQuery({
    ...read("/staff/{id}/access", { path: { id: number } }),
  });
  const [dialog, setDialog] = useState<PersonDialog | undefined>(() =>
    location.hash === "#assign" ? "assign" : location.hash === "#record" ? "record" : undefined,
  );
  return (
    <Page
      title={`${staff.given_name} ${staff.family_name}`}
      lead={
        <span className="flex flex-wrap items-center gap-2">
          <StaffMark staff={staff} />
          {staff.lock && <Mark of={staff.status} />}
          {staff.owner && <Mark of="open">Owner</Mark>}
          <span>
            {staff.narrow
              ? `${number} · belongs to another site`
              : `${number} · ${staff.job_title || "no job title"} · ${staff.home_site.name}`}
          </span>
        </span>
      }
      acts={<PersonActs staff={staff} self={self} open={setDialog} />}
    >
      <Standing staff={staff} self={self} obstacles={access.data?.obstacles ?? []} />
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-x-10 gap-y-8 lg:grid-cols-[minmax(0,1fr)_20rem]">
        <div className="space-y-8">
          <Section
            title={`What ${access.data?.called ?? staff.given_name} can do`}
            note={
              <>
                Each sentence opens to what it rests on · also as a{" "}
                <Link to="/look" search={{ staff: number }} className="text-damson underline underline-offset-2">
                  tree
                </Link>{" "}
                and as a{" "}
                <Link
                  to="/grid"
                  search={{ place: site, q: number }}
                  className="text-damson underline underline-offset-2"
                >
                  grid
                </Link>
              </>
            }
          >
            <Listed of={access}>{() => null}</Listed>
            {access.data?.statements.length === 0 && (
              <Empty>
                Nothing yet.{" "}
                {may("console.assign")
                  ? "Assign a place and a template to begin."
                  : "Somebody who may assign has to say where, and as what."}
              </Empty>
            )}
            {access.data?.statements.map((s) => (
              <Statement key={`${s.assignment} ${s.exception} ${s.bar} ${s.sentence}`} statement={s} />
            ))}
          </Section>
          <Scope access={access.data} />
          {!staff.narrow && may("console.credentials", staff.home_site.code) && (
            <ActsFor number={staff.staff_number} called={staff.given_name} />
          )}
          <Assignments staff={staff} self={self} />
          <PersonExceptions staff={staff} self={self} />
          {!staff.narrow && staff.status !== "left" && (
            <Timeline facts={(asked) => read("/staff/{id}/timeline", { path: { id: number }, query: asked })} />
          )}
          {!staff.narrow && <History number={number} />}
        </div>
        <aside className={staff.narrow ? "hidden" : "space-y-8"}>
          <Section
            title="Record"
            note={
              may("console.edit_staff", site) && (
                <button
                  type="button"
                  aria-keyshortcuts="r"
                  title="Change the record"
                  className="text-damson underline underline-offset-2"
                  onClick={() => setDialog("record")}
                >
                  Change
                </button>
              )
            }
          >
            <Photo staff={staff} edits={!self && may("console.edit_staff", site)} />
            <Record staff={staff} />
          </Section>
          {!staff.narrow && <Credentials staff={staff} self={self} />}
          {!staff.narrow && <Certificates staff={staff} self={self} />}
          {may("console.leave", site) && !self && (
            <ComingAndGoing staff={staff} reinstate={() => setDialog("reinstate")} />
          )}
          {!staff.narrow && staff.email && (
            <Section title="Messages by mail">
              <MessagesTo number={number} />
            </Section>
          )}
        </aside>
      </div>
      {dialog === "cover" && <CoverDialog staff={staff} close={() => setDialog(undefined)} />}
      {dialog === "reinstate" && <ReinstateDialog staff={staff} close={() => setDialog(undefined)} />}
      {dialog === "assign" && <AssignDialog staff={staff} close={() => setDialog(undefined)} />}
      {dialog === "record" && <RecordDialog staff={staff} close={() => setDialog(undefined)} />}
    </Page>
  );
}
