// What takes the time of a bake, line by line.
export function TimeRows({ rows }: { rows: readonly (readonly [name: string, share: number])[] }) {
  return (
    <table className="w-full">
      <caption className="sr-only">Time by map</caption>
      <tbody>
        {rows.map(([name, share]) => (
          <tr key={name}>
            <td className="py-0.5">{name}</td>
            <td className="w-1/3">
              <div className="h-1.5 rounded bg-sunk">
                <i className="block h-full rounded bg-ink-3" style={{ width: `${100 * share}%` }} />
              </div>
            </td>
            <td className="num w-14 text-right">{(100 * share).toFixed(0)} %</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
