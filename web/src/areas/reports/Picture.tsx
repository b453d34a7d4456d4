import {
  Bar,
  BarChart,
  CartesianGrid,
  ComposedChart,
  Legend,
  Line,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import type { Schema } from "@/api/api";
import { day } from "@/parts/words";

const looks = ["var(--color-damson)", "var(--color-brass)"];
const curves = ["var(--color-open)", "var(--color-shut)"];

/** A report as a picture; the table beneath it says the same. */
export default function Picture({ report }: { report: Schema["Report"] }) {
  const at = (name: string) => report.columns.findIndex((c) => c.name === name);
  const title = (name: string) => report.columns[at(name)]?.title ?? name;
  const dated = report.columns[at(report.across ?? "")]?.kind === "date";
  const drawn = [...(report.bars ?? []), ...(report.curves ?? [])];
  // What has the same place along the bottom is added up.
  const sums = new Map<string, Record<string, number>>();
  for (const row of report.items ?? []) {
    const across = row?.[at(report.across ?? "")] ?? "";
    const sum = sums.get(across) ?? {};
    for (const name of drawn) {
      const cell = row?.[at(name)] ?? "";
      if (cell !== "") sum[name] = (sum[name] ?? 0) + Number(cell);
    }
    sums.set(across, sum);
  }
  const data = [...sums].map(([across, sum]) => ({
    across: dated ? day(across).replace(/ \d{4}$/, "") : across,
    ...sum,
  }));
  const said = (name: string) => [...sums.values()].some((sum) => sum[name] !== undefined);
  const lines = report.curves?.filter(said) ?? [];
  const Chart = lines.length ? ComposedChart : BarChart;
  return (
    <figure
      className="mb-5 rounded-sm border border-rule bg-sheet p-3"
      aria-label={`${report.title}, as a picture; the table below says the same`}
    >
      <ResponsiveContainer width="100%" height={230}>
        <Chart data={data} margin={{ top: 8, right: 8, bottom: 0, left: -18 }} accessibilityLayer={false}>
          <CartesianGrid vertical={false} stroke="var(--color-rule)" />
          <XAxis dataKey="across" tick={{ fontSize: 13, fill: "var(--color-ink)" }} stroke="var(--color-edge)" />
          <YAxis
            allowDecimals={false}
            tick={{ fontSize: 13, fill: "var(--color-ink)" }}
            stroke="var(--color-edge)"
            yAxisId="bars"
          />
          {lines.length > 0 && (
            <YAxis
              allowDecimals={false}
              orientation="right"
              yAxisId="curves"
              tick={{ fontSize: 13, fill: "var(--color-open)" }}
              stroke="var(--color-edge)"
            />
          )}
          <Tooltip contentStyle={{ background: "var(--color-sheet)", borderColor: "var(--color-edge)" }} />
          <Legend />
          {report.bars?.map((name, i) => (
            <Bar
              key={name}
              yAxisId="bars"
              dataKey={name}
              name={title(name)}
              fill={looks[i] ?? "var(--color-faded)"}
              isAnimationActive={false}
            />
          ))}
          {lines.map((name, i) => (
            <Line
              key={name}
              yAxisId="curves"
              dataKey={name}
              name={title(name)}
              stroke={curves[i] ?? "var(--color-faded)"}
              strokeWidth={2}
              strokeDasharray={i ? "6 4" : "0"}
              dot={false}
              isAnimationActive={false}
            />
          ))}
        </Chart>
      </ResponsiveContainer>
    </figure>
  );
}
