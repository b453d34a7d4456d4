import { useQuery } from "@tanstack/react-query";
import { api, everyPage, take } from "@/api/api";

/** The whole estate, parents before children. */
export function usePlaces() {
  return useQuery({
    queryKey: ["places", "tree"],
    queryFn: () => everyPage((after) => take(api.GET("/places", { params: { query: { limit: 500, ...(after && { after }) } } }))),
    staleTime: 30_000,
  });
}
