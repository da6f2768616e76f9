import { QueryClient, QueryObserver } from "@tanstack/react-query";
import { expect, test } from "vitest";
import { keys } from "./keys";
import { renew } from "./renew";

test("a first answer that was on its way before the change is not taken for the one after it", async () => {
  const queries = new QueryClient();
  const answers: ((value: string) => void)[] = [];
  const observer = new QueryObserver(queries, {
    queryKey: keys.files("fern"),
    queryFn: () => new Promise<string>((resolve) => answers.push(resolve)),
  });
  const stop = observer.subscribe(() => undefined);
  expect(answers).toHaveLength(1);
  const renewed = renew(queries, keys.rig("fern"));
  await expect.poll(() => answers.length).toBe(2);
  answers[0]?.("before");
  answers[1]?.("after");
  await renewed;
  expect(observer.getCurrentResult().data).toBe("after");
  stop();
});
