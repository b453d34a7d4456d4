import { useMutation, useQuery } from "@tanstack/react-query";
import { api, picture, type Staff, send, take } from "@/api/api";
import { touched } from "@/api/read";
import { Wrong } from "@/parts/Wrong";

/** The face that goes with the name, on this page and on the badge. */
export function Photo({ staff, edits }: { staff: Staff; edits: boolean }) {
  const number = staff.staff_number;
  const photo = useQuery({
    queryKey: ["/staff/{id}/photo", number],
    queryFn: () => picture(`/staff/${number}/photo`),
    staleTime: 60_000,
    retry: false,
    enabled: !!staff.photo,
  });
  const keeping = useMutation({
    mutationFn: (file: File) => send(`/staff/${number}/photo`, file),
    onSuccess: () => touched("/staff/{id}"),
  });
  const removing = useMutation({
    mutationFn: () => take(api.DELETE("/staff/{id}/photo", { params: { path: { id: number } } })),
    onSuccess: () => touched("/staff/{id}"),
  });
  const shown = staff.photo && photo.data;
  if (!shown && !edits) return null;
  return (
    <div className="mb-3 flex items-end gap-3">
      {shown && (
        <img
          src={shown}
          alt={`${staff.given_name} ${staff.family_name}`}
          className="h-28 w-21 rounded-sm border border-rule object-cover"
        />
      )}
      {edits && (
        <span className="flex flex-col gap-1 text-sm">
          <label className="cursor-pointer text-damson underline underline-offset-2 focus-within:outline-2">
            {shown ? "Another photo" : "Add a photo"}
            <input
              type="file"
              accept="image/jpeg,image/png"
              className="sr-only"
              onChange={(e) => e.target.files?.[0] && keeping.mutate(e.target.files[0])}
            />
          </label>
          {shown && (
            <button type="button" className="text-left text-damson underline" onClick={() => removing.mutate()}>
              Remove it
            </button>
          )}
          <Wrong error={keeping.error ?? removing.error} />
        </span>
      )}
    </div>
  );
}
